import * as asn1js from 'asn1js';
import { LRUCache } from 'lru-cache';
import * as pkijs from 'pkijs';
import {
	explicit0,
	implicitSet0,
	integer,
	joined,
	objectIdentifier,
	octetString,
	sequence,
	setOf,
	utcTime,
	type Der
} from './der';
import { buffer, engine, fromPem } from './octets';

/**
 * CMS (RFC 5652) as SZTP (RFC 8572) and vouchers (RFC 8366) use it, in DER: SignedData with content type, message digest
 * and signing time as signed attributes, over SHA-256, so that anybody's tools verify it as it is. Certificates and keys
 * come as PEM; a key is a private key in PKCS#8, of a curve P-256, P-384 or P-521, or RSA.
 */
export const DATA = '1.2.840.113549.1.7.1';
const SIGNED_DATA = '1.2.840.113549.1.7.2';
const CONTENT_TYPE = '1.2.840.113549.1.9.3';
const MESSAGE_DIGEST = '1.2.840.113549.1.9.4';
const SIGNING_TIME = '1.2.840.113549.1.9.5';
const DIGEST = 'SHA-256';
/** What is longer is not read. */
const LONGEST = 1024 * 1024;
const MOST_CERTIFICATES = 10;

const { crypto } = globalThis;

export interface Signer {
	readonly key: string;
	/** Its own certificate first, then those above it. */
	readonly chain: readonly string[];
}

const certificateOf = (der: Uint8Array): pkijs.Certificate => pkijs.Certificate.fromBER(buffer(der));

const CURVES: Readonly<Record<string, string>> = {
	'1.2.840.10045.3.1.7': 'P-256',
	'1.3.132.0.34': 'P-384',
	'1.3.132.0.35': 'P-521'
};
const SHA256 = '2.16.840.1.101.3.4.2.1';
const ECDSA_SHA256 = '1.2.840.10045.4.3.2';
const RSA = '1.2.840.113549.1.1.1';
/** ASN.1's NULL. */
const NULL = [Uint8Array.of(5, 0)];

/** What signs, read once: that takes longer than signing with it. */
interface Ready {
	readonly key: CryptoKey;
	readonly certificates: readonly Der[];
	/** Issuer and serial number of its own certificate. */
	readonly name: Der;
	readonly algorithm: Der;
	/** A signature as CMS has it, of one as the Web Crypto API gives it. */
	readonly encoded: (signature: Uint8Array) => Uint8Array;
}
const ready = new LRUCache<string, Promise<Ready>>({ max: 8 });
function readied(signer: Signer): Promise<Ready> {
	const of = [signer.key, ...signer.chain].join('\n');
	let found = ready.get(of);
	if (!found) ready.set(of, (found = readSigner(signer)));
	return found;
}
async function readSigner({ key, chain }: Signer): Promise<Ready> {
	const der = fromPem(key);
	const parameters = pkijs.PrivateKeyInfo.fromBER(buffer(der)).privateKeyAlgorithm.algorithmParams;
	const curve =
		parameters instanceof asn1js.ObjectIdentifier ? (CURVES[parameters.valueBlock.toString()] ?? '') : null;
	const algorithm =
		curve === null ? { name: 'RSASSA-PKCS1-v1_5', hash: DIGEST } : { name: 'ECDSA', namedCurve: curve };
	const certificates = chain.map(fromPem);
	const { issuer, serialNumber } = certificateOf(certificates[0]!);
	const written = (value: asn1js.BaseBlock): Der => [new Uint8Array(value.toBER())];
	return {
		key: await crypto.subtle.importKey('pkcs8', buffer(der), algorithm, false, ['sign']),
		certificates: certificates.map((one) => [one]),
		name: sequence(written(issuer.toSchema()), written(serialNumber)),
		algorithm:
			curve === null ? sequence(objectIdentifier(RSA), NULL) : sequence(objectIdentifier(ECDSA_SHA256)),
		encoded: curve === null ? (signature) => signature : halves
	};
}
/** ECDSA's two numbers as RFC 3279 section 2.2.3 has them, of both behind each other. */
const halves = (signature: Uint8Array): Uint8Array => {
	const half = signature.length / 2;
	return joined(sequence(integer(signature.subarray(0, half)), integer(signature.subarray(half))));
};

const contentInfo = (signedData: Der): Uint8Array =>
	joined(sequence(objectIdentifier(SIGNED_DATA), explicit0(signedData)));
const attribute = (type: string, value: Der): Der => sequence(objectIdentifier(type), setOf(value));

/** Signs octets. `at`: when the signature says that it was made. `isDetached`: they are not in it. */
export async function signData(
	content: Uint8Array,
	contentType: string,
	signer: Signer,
	at: Date,
	isDetached = false
): Promise<Uint8Array> {
	const { key, certificates, name, algorithm, encoded } = await readied(signer);
	const digest = new Uint8Array(await crypto.subtle.digest(DIGEST, buffer(content)));
	const attributes = [
		attribute(CONTENT_TYPE, objectIdentifier(contentType)),
		attribute(SIGNING_TIME, utcTime(at)),
		attribute(MESSAGE_DIGEST, octetString(digest))
	];
	// What is signed is the attributes as a SET OF, which is not how they stand (RFC 5652 section 5.4)
	const signature = await crypto.subtle.sign(
		{ name: key.algorithm.name, hash: DIGEST },
		key,
		buffer(joined(setOf(...attributes)))
	);
	const digestAlgorithm = sequence(objectIdentifier(SHA256));
	return contentInfo(
		sequence(
			integer(contentType === DATA ? 1 : 3),
			setOf(digestAlgorithm),
			// In one piece, as DER wants it
			sequence(objectIdentifier(contentType), isDetached ? [] : explicit0(octetString(content))),
			implicitSet0(...certificates),
			setOf(
				sequence(
					integer(1),
					name,
					digestAlgorithm,
					implicitSet0(...attributes),
					algorithm,
					octetString(encoded(new Uint8Array(signature)))
				)
			)
		)
	);
}

/** A chain of certificates by itself: SignedData that nobody signed (RFC 5652 section 5.2). */
export const certificatesOnly = (chain: readonly string[]): Uint8Array =>
	contentInfo(
		sequence(
			integer(1),
			setOf(),
			sequence(objectIdentifier(DATA)),
			implicitSet0(...chain.map((pem) => [fromPem(pem)])),
			setOf()
		)
	);

export type Opened =
	| {
			readonly ok: true;
			readonly content: Uint8Array;
			readonly at: Date | null;
			/** DER of whose signature it is. */
			readonly signer: Uint8Array;
	  }
	| { readonly ok: false; readonly problem: string };
const refused = (problem: string) => ({ ok: false, problem }) as const;

/** What was to be read from CMS, or why it could not be. asn1js and pkijs throw on much of what is wrong. */
function reading(der: Uint8Array): pkijs.SignedData | null {
	if (der.length > LONGEST) return null;
	try {
		const { result, offset } = asn1js.fromBER(buffer(der));
		if (offset !== der.length) return null;
		const info = new pkijs.ContentInfo({ schema: result });
		return info.contentType === SIGNED_DATA ? new pkijs.SignedData({ schema: info.content }) : null;
	} catch {
		return null;
	}
}

/** Certificates as DER, in the order in which they stand; null for what is no CMS with certificates. */
export function certificatesIn(der: Uint8Array): readonly Uint8Array[] | null {
	const certificates = reading(der)?.certificates?.filter((one) => one instanceof pkijs.Certificate) ?? [];
	if (certificates.length === 0 || certificates.length > MOST_CERTIFICATES) return null;
	return certificates.map((one) => new Uint8Array(one.toSchema().toBER()));
}

/**
 * Opens what was signed, with its content inside, and says whose signature it is. The signer has to be one of `trusted`, or
 * lead to one over certificates that are in it or in `more`; where `trusted` is null it may be anybody. `at`: when it has to be good; null for a reader without a
 * clock, for whom no certificate ends. Rejects everything else, and more than one signature.
 */
export async function openSigned(
	der: Uint8Array,
	contentType: string,
	trusted: readonly Uint8Array[] | null,
	at: Date | null,
	more: readonly Uint8Array[] = []
): Promise<Opened> {
	const signed = reading(der);
	if (!signed) return refused('It is no CMS SignedData.');
	try {
		const { eContentType, eContent } = signed.encapContentInfo;
		if (eContentType !== contentType) return refused(`Its content is of type ${eContentType}.`);
		if (!eContent) return refused('Its content is not in it.');
		const [info, ...others] = signed.signerInfos;
		if (!info || others.length > 0) return refused('It has to have one signature.');
		const within = (signed.certificates ?? []).filter((one) => one instanceof pkijs.Certificate);
		const certificates = [...within, ...[...(trusted ?? []), ...more].map(certificateOf)];
		if (certificates.length > 3 * MOST_CERTIFICATES) return refused('It has too many certificates.');
		const signer = certificates.find((one) => isOf(info, one));
		if (!signer) return refused('The certificate of whoever signed it is not in it.');
		const attributes = info.signedAttrs?.attributes ?? [];
		const value = (type: string) => attributes.find((one) => one.type === type)?.values[0] as unknown;
		const said = value(CONTENT_TYPE);
		if (!(said instanceof asn1js.ObjectIdentifier) || said.valueBlock.toString() !== contentType)
			return refused('What was signed does not say of what type it is.');
		signed.certificates = [signer];
		if (!(await signed.verify({ signer: 0, checkChain: false }, engine)))
			return refused('It was changed after it was signed.');
		const problem = trusted && (await chainProblem(signer, certificates, trusted, at));
		if (problem !== null) return refused(problem);
		const time = value(SIGNING_TIME);
		return {
			ok: true,
			content: new Uint8Array(eContent.getValue()),
			at: time instanceof asn1js.UTCTime || time instanceof asn1js.GeneralizedTime ? time.toDate() : null,
			signer: new Uint8Array(signer.toSchema().toBER())
		};
	} catch {
		return refused('It was changed after it was signed, or cannot be read.');
	}
}

const isOf = ({ sid }: pkijs.SignerInfo, { issuer, serialNumber }: pkijs.Certificate): boolean =>
	sid instanceof pkijs.IssuerAndSerialNumber &&
	sid.issuer.isEqual(issuer) &&
	sid.serialNumber.isEqual(serialNumber);

/** Why a certificate does not lead to a trusted one; null when it does. */
async function chainProblem(
	own: pkijs.Certificate,
	certificates: pkijs.Certificate[],
	trusted: readonly Uint8Array[],
	at: Date | null
): Promise<string | null> {
	const raw = new Uint8Array(own.toSchema().toBER());
	const isPinned = trusted.some((one) => isSame(one, raw));
	const isGood = at === null || (own.notBefore.value <= at && at <= own.notAfter.value);
	if (isPinned) return isGood ? null : 'The certificate of whoever signed it is not good at that time.';
	const chain = new pkijs.CertificateChainValidationEngine({
		trustedCerts: trusted.map(certificateOf),
		certs: [...certificates.filter((one) => one !== own), own],
		// Without a clock: some time at which its own certificate is good
		checkDate: at ?? new Date(own.notBefore.value.getTime() + 1_000)
	});
	const { result, resultMessage } = await chain.verify({}, engine);
	return result ? null : `It was signed by somebody who is not trusted: ${resultMessage}`.slice(0, 300);
}

export const isSame = (one: Uint8Array, other: Uint8Array): boolean =>
	one.length === other.length && one.every((octet, at) => octet === other[at]);
