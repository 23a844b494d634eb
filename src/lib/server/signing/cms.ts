import { createHash, createPrivateKey, webcrypto, X509Certificate } from 'node:crypto';
import * as asn1js from 'asn1js';
import * as pkijs from 'pkijs';

/**
 * Detached CMS signatures (RFC 5652): SignedData without the content, with the signer's certificate, and with content
 * type, message digest and signing time as signed attributes, so that openssl verifies them as they are.
 */
const DATA = '1.2.840.113549.1.7.1';
const SIGNED_DATA = '1.2.840.113549.1.7.2';
const CONTENT_TYPE = '1.2.840.113549.1.9.3';
const MESSAGE_DIGEST = '1.2.840.113549.1.9.4';
const SIGNING_TIME = '1.2.840.113549.1.9.5';
const DIGEST = 'SHA-256';

const engine = new pkijs.CryptoEngine({ name: 'node', crypto: webcrypto as unknown as Crypto });
const octets = (view: Uint8Array): ArrayBuffer => Uint8Array.from(view).buffer;

/** A signing key: PEM of a private key in PKCS#8, and of its certificate. */
export interface SigningKey {
	readonly key: string;
	readonly certificate: string;
}

async function privateKeyOf({ key }: SigningKey): Promise<CryptoKey> {
	const parsed = createPrivateKey(key);
	const algorithm =
		parsed.asymmetricKeyType === 'ec'
			? { name: 'ECDSA', namedCurve: CURVES[parsed.asymmetricKeyDetails?.namedCurve ?? ''] ?? '' }
			: { name: 'RSASSA-PKCS1-v1_5', hash: DIGEST };
	const der = parsed.export({ type: 'pkcs8', format: 'der' });
	return (await webcrypto.subtle.importKey('pkcs8', der, algorithm, false, ['sign'])) as CryptoKey;
}
const CURVES: Readonly<Record<string, string>> = {
	prime256v1: 'P-256',
	secp384r1: 'P-384',
	secp521r1: 'P-521'
};

const certificateOf = (pem: string): pkijs.Certificate =>
	pkijs.Certificate.fromBER(octets(new X509Certificate(pem).raw));

/** Signs octets as they are; DER. `at`: the time that the signature says it was made. */
export async function signDetached(data: Uint8Array, own: SigningKey, at: Date): Promise<Uint8Array> {
	const certificate = certificateOf(own.certificate);
	const digest = createHash('sha256').update(data).digest();
	const signed = new pkijs.SignedData({
		version: 1,
		encapContentInfo: new pkijs.EncapsulatedContentInfo({ eContentType: DATA }),
		certificates: [certificate],
		signerInfos: [
			new pkijs.SignerInfo({
				version: 1,
				sid: new pkijs.IssuerAndSerialNumber({
					issuer: certificate.issuer,
					serialNumber: certificate.serialNumber
				}),
				signedAttrs: new pkijs.SignedAndUnsignedAttributes({
					type: 0,
					attributes: [
						new pkijs.Attribute({
							type: CONTENT_TYPE,
							values: [new asn1js.ObjectIdentifier({ value: DATA })]
						}),
						new pkijs.Attribute({ type: SIGNING_TIME, values: [new asn1js.UTCTime({ valueDate: at })] }),
						new pkijs.Attribute({
							type: MESSAGE_DIGEST,
							values: [new asn1js.OctetString({ valueHex: octets(digest) })]
						})
					]
				})
			})
		]
	});
	await signed.sign(await privateKeyOf(own), 0, DIGEST, octets(data), engine);
	const content = new pkijs.ContentInfo({ contentType: SIGNED_DATA, content: signed.toSchema(true) });
	return new Uint8Array(content.toSchema().toBER());
}

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
