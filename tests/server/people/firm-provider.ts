import { createHash, randomUUID } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK, type JWTPayload } from 'jose';
import { currentSettings } from '../../../src/lib/server/settings';

/** Somebody whom a provider tells of. */
export interface Told {
	readonly sub: string;
	readonly email?: string;
	readonly email_verified?: boolean;
	readonly name?: string;
	readonly groups?: unknown;
	readonly auth_time?: number;
}
interface Issued {
	readonly person: Told;
	readonly nonce: string;
	readonly challenge: string;
}

/** What a provider can do wrong. */
export interface Wrong {
	/** Claims of the token that are not as they should be. */
	readonly claims?: JWTPayload;
	/** Signed with a key that it does not show. */
	readonly foreignKey?: boolean;
	/** Not signed at all. */
	readonly unsigned?: boolean;
	/** Instead of any answer. */
	readonly answer?: (request: IncomingMessage, response: ServerResponse) => void;
}

/**
 * An identity provider made by hand from OpenID Connect Core 1.0, RFC 6749 and RFC 7636, where the application of the tests
 * looks for the firm's: so that it can be wrong in every way.
 */
export class FirmProvider {
	readonly issuer = currentSettings().LIMEN_OIDC_ISSUER!;
	wrong: Wrong = {};
	readonly #codes = new Map<string, Issued>();
	readonly #tokens = new Map<string, Told>();
	#key!: { readonly privateKey: CryptoKey; readonly jwk: JWK };
	#server: Server | undefined;

	async listen(): Promise<void> {
		await this.renewKey();
		this.#server = createServer((request, response) => void this.#answer(request, response));
		const { port, hostname } = new URL(this.issuer);
		await new Promise<void>((resolve) => this.#server!.listen(Number(port), hostname, resolve));
	}
	async close(): Promise<void> {
		this.#server?.closeAllConnections();
		await new Promise((resolve) => (this.#server ? this.#server.close(resolve) : resolve(null)));
	}
	async renewKey(): Promise<void> {
		const { privateKey, publicKey } = await generateKeyPair('RS256');
		this.#key = {
			privateKey,
			jwk: { ...(await exportJWK(publicKey)), kid: randomUUID(), alg: 'RS256', use: 'sig' }
		};
	}
	/** Somebody has shown who they are: the code that their browser brings back from where it was sent. */
	codeFor(person: Told, sentTo: URL): string {
		const code = randomUUID();
		const asked = (name: string) => sentTo.searchParams.get(name)!;
		this.#codes.set(code, { person, nonce: asked('nonce'), challenge: asked('code_challenge') });
		return code;
	}

	async #answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
		const json = (body: unknown, status = 200) =>
			response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
		if (this.wrong.answer) return this.wrong.answer(request, response);
		const { pathname } = new URL(request.url!, this.issuer);
		if (pathname === '/.well-known/openid-configuration')
			return void json({
				issuer: this.issuer,
				authorization_endpoint: `${this.issuer}/auth`,
				token_endpoint: `${this.issuer}/token`,
				end_session_endpoint: `${this.issuer}/out`,
				userinfo_endpoint: `${this.issuer}/me`,
				jwks_uri: `${this.issuer}/jwks`,
				response_types_supported: ['code'],
				subject_types_supported: ['public'],
				id_token_signing_alg_values_supported: ['RS256'],
				code_challenge_methods_supported: ['S256']
			});
		if (pathname === '/jwks') return void json({ keys: [this.#key.jwk] });
		if (pathname === '/me') {
			const told = this.#tokens.get(request.headers.authorization?.replace('Bearer ', '') ?? '');
			return void json(told ?? { error: 'invalid_token' }, told ? 200 : 401);
		}
		if (pathname !== '/token') return void json({}, 404);
		const chunks: Buffer[] = [];
		for await (const chunk of request) chunks.push(chunk as Buffer);
		const form = new URLSearchParams(Buffer.concat(chunks).toString());
		const issued = this.#codes.get(form.get('code') ?? '');
		const verifier = createHash('sha256')
			.update(form.get('code_verifier') ?? '')
			.digest('base64url');
		if (!issued || verifier !== issued.challenge) return void json({ error: 'invalid_grant' }, 400);
		// A code is good once
		this.#codes.delete(form.get('code')!);
		const access = randomUUID();
		const { groups, ...signed } = issued.person;
		this.#tokens.set(access, { ...issued.person, groups });
		json({
			access_token: access,
			token_type: 'Bearer',
			expires_in: 60,
			id_token: await this.#idToken(signed, issued)
		});
	}

	async #idToken(person: Told, { nonce }: Issued): Promise<string> {
		const now = Math.floor(Date.now() / 1000);
		const claims = {
			iss: this.issuer,
			aud: currentSettings().LIMEN_OIDC_CLIENT_ID,
			iat: now,
			exp: now + 60,
			nonce,
			auth_time: now,
			...person,
			...this.wrong.claims
		};
		const part = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
		if (this.wrong.unsigned) return `${part({ alg: 'none' })}.${part(claims)}.`;
		const key = this.wrong.foreignKey ? (await generateKeyPair('RS256')).privateKey : this.#key.privateKey;
		return new SignJWT(claims).setProtectedHeader({ alg: 'RS256', kid: this.#key.jwk.kid! }).sign(key);
	}
}
