import { X509Certificate } from 'node:crypto';
import type * as asn1js from 'asn1js';
import * as pkijs from 'pkijs';
import { DATA, signData } from '../../../core/trust';

/** Detached CMS signatures (RFC 5652): what is handed over is sealed with them, and openssl verifies them as they are. */
const SIGNED_DATA = '1.2.840.113549.1.7.2';
const SIGNING_TIME = '1.2.840.113549.1.9.5';

export const engine = new pkijs.CryptoEngine({ name: 'node', crypto: globalThis.crypto as never });
const octets = (view: Uint8Array): ArrayBuffer => Uint8Array.from(view).buffer;

/** A signing key: PEM of a private key in PKCS#8, and of its certificate. */
export interface SigningKey {
	readonly key: string;
	readonly certificate: string;
}
const certificateOf = (pem: string): pkijs.Certificate =>
	pkijs.Certificate.fromBER(octets(new X509Certificate(pem).raw));

/** Signs octets as they are; DER. `at`: the time that the signature says it was made. */
export const signDetached = (
	data: Uint8Array,
	{ key, certificate }: SigningKey,
	at: Date
): Promise<Uint8Array> => signData(data, DATA, { key, chain: [certificate] }, at, true);

export type Verification =
	| { readonly ok: true; readonly at: Date; readonly subject: string }
	| { readonly ok: false; readonly problem: string };

/**
 * Verifies a detached signature over octets against the certificate that its reader was given beforehand, at the time
 * that the signature says. Rejects anything else: another signer, other octets, a certificate that was not good then.
 */
export async function verifyDetached(
	data: Uint8Array,
	signature: Uint8Array,
	trusted: string
): Promise<Verification> {
	const refused = (problem: string): Verification => ({ ok: false, problem });
	let certificate: X509Certificate;
	try {
		certificate = new X509Certificate(trusted);
	} catch {
		return refused('The certificate cannot be read: it should be PEM.');
	}
	try {
		const content = pkijs.ContentInfo.fromBER(octets(signature));
		if (content.contentType !== SIGNED_DATA) return refused('This is no CMS signature.');
		const signed = new pkijs.SignedData({ schema: content.content });
		const attributes = signed.signerInfos[0]?.signedAttrs?.attributes ?? [];
		const time = attributes.find(({ type }) => type === SIGNING_TIME)?.values[0] as
			asn1js.UTCTime | undefined;
		if (signed.signerInfos.length !== 1 || !time)
			return refused('The signature does not say when it was made.');
		// By the given certificate alone: what the signature carries of its own proves nothing
		signed.certificates = [certificateOf(trusted)];
		const verified = await signed.verify({ signer: 0, data: octets(data), checkChain: false }, engine);
		if (!verified) return refused('It was changed after it was signed, or signed by somebody else.');
		const at = time.toDate();
		if (at < new Date(certificate.validFrom) || at > new Date(certificate.validTo))
			return refused('The certificate was not good when this was signed.');
		return { ok: true, at, subject: certificate.subject };
	} catch {
		return refused('It was changed after it was signed, or signed by somebody else.');
	}
}
