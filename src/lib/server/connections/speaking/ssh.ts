import type { Duplex } from 'node:stream';
import ssh2, { type AnyAuthMethod, type Client, type ConnectConfig } from 'ssh2';
import type { Offer } from '../../../../core/secret';

/**
 * SSH as the client: over a connection that the unit opened (RFC 8071), or that we opened to it. The host key is
 * offered to `isKnown` before anything of ours is said; an unknown one ends the connection.
 */
const HANDSHAKE_MS = 20_000;
const KEEP_ALIVE_MS = 30_000;
/** A unit that answers none of so many is gone: noticed within a minute and a half. */
const KEEP_ALIVES_MISSED = 2;
export const UNIT_USER = 'limen';

/** How we log in. */
export interface SshLogin {
	readonly user: string;
	/** A password or a private key in OpenSSH's or PEM's form. */
	readonly password?: string | undefined;
	readonly privateKey?: string | undefined;
}
/** The same for a unit. */
export interface UnitLogin extends SshLogin {
	/** The password that raises privileges on its command line. */
	readonly privileges?: string | undefined;
}
/** What is shown to a unit, one after the other, until it takes one. */
export type SshOffers = readonly Offer<SshLogin>[];

/** Equipment that is reached at an address can be old; what it dials home with we have given it ourselves. */
const OLDER: ConnectConfig['algorithms'] = {
	kex: { append: ['diffie-hellman-group14-sha1'], prepend: [], remove: [] },
	serverHostKey: { append: ['ssh-rsa'], prepend: [], remove: [] },
	cipher: { append: ['aes256-cbc', 'aes128-cbc'], prepend: [], remove: [] },
	hmac: { append: ['hmac-sha1'], prepend: [], remove: [] }
};

/**
 * Logs in to the unit at the other end of `stream`, with the first of the offers that it takes: whose name comes back
 * with the client. `offers` are asked for once the host key is known. Rejects when the handshake fails, takes too long or
 * the key is not known. The client emits further errors whenever the other side misbehaves, also after this has settled: a
 * listener that stays takes them, since an `error` without a listener would end the process.
 */
export function connectOver(
	stream: Duplex,
	isKnown: (key: Buffer) => Promise<boolean>,
	offers: () => Promise<SshOffers>,
	takesOlder = false
): Promise<{ readonly client: Client; readonly taken: string }> {
	const client = new ssh2.Client();
	return new Promise((resolve, reject) => {
		let closed = false;
		const showing = new Showing(offers);
		client.on('error', reject);
		client.on('close', () => {
			closed = true;
			reject(new Error('The connection closed before the login.'));
		});
		client.once('ready', () => resolve({ client, taken: showing.shown }));
		client.connect({
			sock: stream,
			username: UNIT_USER,
			authHandler: (_left, _partly, next) =>
				void showing.next().then(
					(method) => closed || next(method as AnyAuthMethod),
					(error: Error) => {
						reject(error);
						if (!closed) next(false as unknown as AnyAuthMethod);
					}
				),
			...(takesOlder && { algorithms: OLDER }),
			readyTimeout: HANDSHAKE_MS,
			keepaliveInterval: KEEP_ALIVE_MS,
			keepaliveCountMax: KEEP_ALIVES_MISSED,
			hostVerifier: (key: Buffer, verify: (valid: boolean) => void) => {
				isKnown(key)
					.catch((error: Error) => {
						reject(error);
						return false;
					})
					// Who has hung up meanwhile is not answered: that would write to a closed connection
					.then((known) => closed || verify(known))
					.catch(reject);
			}
		});
	});
}

/** Shows offers one after the other; a password twice, since some ask for it as a question. */
class Showing {
	/** The name of the offer that was shown last. */
	shown = '';
	#methods: { readonly name: string; readonly method: AnyAuthMethod }[] | null = null;

	constructor(private readonly offers: () => Promise<SshOffers>) {}

	async next(): Promise<AnyAuthMethod | false> {
		this.#methods ??= (await this.offers()).flatMap(({ name, login }) =>
			methodsOf(login).map((method) => ({ name, method }))
		);
		const next = this.#methods.shift();
		if (!next) return false;
		this.shown = next.name;
		return next.method;
	}
}

function methodsOf({ user: username, password, privateKey }: SshLogin): AnyAuthMethod[] {
	return [
		...(privateKey === undefined ? [] : [{ type: 'publickey' as const, username, key: privateKey }]),
		...(password === undefined
			? []
			: [
					{ type: 'password' as const, username, password },
					{
						type: 'keyboard-interactive' as const,
						username,
						prompt: (
							_name: string,
							_instructions: string,
							_language: string,
							prompts: readonly unknown[],
							answer: (answers: string[]) => void
						) => answer(prompts.map(() => password))
					}
				])
	];
}
