import * as client from 'openid-client';
import { currentSettings, publicUrl } from '../../settings';

/** The firm's identity provider does not answer, or not as one should. */
export class ProviderAway extends Error {}

const TIMEOUT_SECONDS = 10;
const LARGEST_ANSWER = 1024 * 1024;
/** What a provider says of itself is asked for again after so long; its keys also when one is met that is not known. */
const GOOD_FOR_MS = 10 * 60_000;
const LOOPBACK = /^(127\.\d+\.\d+\.\d+|\[::1\]|localhost)$/;

let known: { readonly configuration: client.Configuration; readonly at: number } | undefined;

/** Whether people can come in through the firm, and how it is called. */
export function firmProvider(): { readonly name: string } | null {
	const { LIMEN_OIDC_ISSUER, LIMEN_FIRM } = currentSettings();
	return LIMEN_OIDC_ISSUER ? { name: LIMEN_FIRM || new URL(LIMEN_OIDC_ISSUER).hostname } : null;
}

export const firmCallback = (): string => `${publicUrl(currentSettings())}/sign-in/firm/back`;

/** What the provider says of itself (OpenID Connect Discovery 1.0). Rejects with `ProviderAway`. */
export async function configuration(): Promise<client.Configuration> {
	if (known && performance.now() - known.at < GOOD_FOR_MS) return known.configuration;
	const { LIMEN_OIDC_ISSUER, LIMEN_OIDC_CLIENT_ID, LIMEN_OIDC_CLIENT_SECRET } = currentSettings();
	const issuer = new URL(LIMEN_OIDC_ISSUER!);
	// In the clear on this machine alone
	const isHere = issuer.protocol === 'http:' && LOOPBACK.test(issuer.hostname);
	const found = await answered(() =>
		client.discovery(issuer, LIMEN_OIDC_CLIENT_ID, LIMEN_OIDC_CLIENT_SECRET, undefined, {
			timeout: TIMEOUT_SECONDS,
			[client.customFetch]: bounded,
			// What it says is signed, and that is looked at, however it came
			execute: [client.enableNonRepudiationChecks, ...(isHere ? [client.allowInsecureRequests] : [])]
		})
	);
	known = { configuration: found, at: performance.now() };
	return found;
}

/** Forgets what is known of the provider, so that it is asked for anew. */
export const forgetProvider = (): void => void (known = undefined);

/** What the provider was asked for; `ProviderAway` where it did not answer, or with what no provider answers. */
export async function answered<Result>(ask: () => Promise<Result>): Promise<Result> {
	try {
		return await ask();
	} catch (error) {
		if (error instanceof client.AuthorizationResponseError || error instanceof client.ResponseBodyError)
			throw error;
		throw new ProviderAway(error instanceof Error ? error.message : String(error), { cause: error });
	}
}

/** A provider is asked like a stranger: what it answers has an end, and it leads nowhere else. */
const bounded: client.CustomFetch = async (url, options) => {
	const answer = await fetch(url, { ...options, redirect: 'manual' } as RequestInit);
	const reader = answer.body?.getReader();
	const chunks: Uint8Array[] = [];
	for (let size = 0; reader;) {
		const { value, done } = await reader.read();
		if (done) break;
		size += value.length;
		if (size > LARGEST_ANSWER) {
			await reader.cancel();
			throw new Error('It answered with too much.');
		}
		chunks.push(value);
	}
	const body = [204, 205, 304].includes(answer.status) || answer.status < 200 ? null : Buffer.concat(chunks);
	return new Response(body, { status: answer.status, headers: answer.headers });
};
