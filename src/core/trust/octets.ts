import * as pkijs from 'pkijs';

/** What pkijs and asn1js want: their crypto, and an ArrayBuffer of exactly the octets. */
export const engine = new pkijs.CryptoEngine({ name: 'trust', crypto: globalThis.crypto as never });
export const buffer = (view: Uint8Array): ArrayBuffer => Uint8Array.from(view).buffer;

/** The octets of a PEM block. Throws where it is none. */
export function fromPem(pem: string): Uint8Array {
	const [, base64] = /-----BEGIN [A-Z0-9 ]+-----([A-Za-z0-9+/=\s]+)-----END/.exec(pem) ?? [];
	if (base64 === undefined) throw new Error('not PEM');
	return Uint8Array.from(atob(base64.replace(/\s+/g, '')), (character) => character.charCodeAt(0));
}
