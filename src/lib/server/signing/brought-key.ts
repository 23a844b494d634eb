import { timeNow } from '../database';
import { createPrivateKey, X509Certificate } from 'node:crypto';
import * as asn1js from 'asn1js';
import * as pkijs from 'pkijs';
import { engine, type SigningKey } from './cms';

/** A signing key that somebody brings: its certificate and its private key. */
type Brought = SigningKey | { readonly problem: string };

/** A key with a chain of certificates takes some 10 kB. In octets. */
export const LARGEST_KEY_FILE = 100_000;
/** Rounds of key derivation: whoever asks for more has us compute for minutes. */
const MOST_ROUNDS = { integrity: 100_000, secrecy: 2_000_000 };
/** One for the key and one for its certificates are usual; each is locked with rounds of its own. */
const MOST_CONTENTS = 5;
const CERTIFICATE_BAG = '1.2.840.113549.1.12.10.1.3';
const ENCRYPTED_DATA = '1.2.840.113549.1.7.6';
const NOT_READ =
	'The file cannot be read: the password is another one, or it is no PKCS #12 (RFC 7292) with AES and PBKDF2, as openssl pkcs12 -export writes it.';

/** A certificate and its private key, as PEM; or what is wrong with them. */
export function readPem(pem: string): Brought {
	const [certificate] = /-----BEGIN CERTIFICATE-----[^]+?-----END CERTIFICATE-----/.exec(pem) ?? [];
	const [key] =
		/-----BEGIN (?:EC |RSA )?PRIVATE KEY-----[^]+?-----END (?:EC |RSA )?PRIVATE KEY-----/.exec(pem) ?? [];
	if (!certificate || !key)
		return { problem: 'It needs both: a certificate, and its private key without a password.' };
	try {
		const read = new X509Certificate(certificate);
		const own = createPrivateKey(key);
		const kind = own.asymmetricKeyType;
		if (kind !== 'ec' && kind !== 'rsa')
			return { problem: 'The key has to be an elliptic curve or RSA key.' };
		if (
			kind === 'ec' &&
			!/^(prime256v1|secp384r1|secp521r1)$/.test(own.asymmetricKeyDetails?.namedCurve ?? '')
		)
			return { problem: 'The key’s curve has to be P-256, P-384 or P-521.' };
		if (!read.checkPrivateKey(own)) return { problem: 'The key is not that of the certificate.' };
		if (new Date(read.validTo) < new Date(timeNow()))
			return { problem: 'The certificate has ended already.' };
		return { certificate: `${certificate}\n`, key: own.export({ type: 'pkcs8', format: 'pem' }).toString() };
	} catch {
		return { problem: 'One of them cannot be read: both should be PEM.' };
	}
}

/**
 * The key in a PKCS #12 file (RFC 7292) that is locked with a password: its integrity is checked, and the one certificate that
 * is the key's is taken. The old ciphers RC2 and 3DES are not read.
 */
export async function readPkcs12(octets: Uint8Array<ArrayBuffer>, password: string): Promise<Brought> {
	try {
		const file = pkijs.PFX.fromBER(octets.buffer);
		if ((file.macData?.iterations ?? 1) > MOST_ROUNDS.integrity) return { problem: NOT_READ };
		const secret = new TextEncoder().encode(password).buffer;
		await file.parseInternalValues({ password: secret, checkIntegrity: true }, engine);
		const safe = file.parsedValue!.authenticatedSafe!;
		if (safe.safeContents.length > MOST_CONTENTS) return { problem: NOT_READ };
		for (const { contentType, content } of safe.safeContents)
			if (contentType === ENCRYPTED_DATA) {
				// Of a copy: the library takes apart what it reads
				const schema = asn1js.fromBER((content as asn1js.Sequence).toBER()).result;
				const { encryptedContentInfo } = new pkijs.EncryptedData({ schema });
				boundRounds(encryptedContentInfo.contentEncryptionAlgorithm);
			}
		await safe.parseInternalValues(
			{ safeContents: safe.safeContents.map(() => ({ password: secret })) },
			engine
		);
		const contents = safe.parsedValue.safeContents as readonly { value: pkijs.SafeContents }[];
		const bags = contents.flatMap(({ value }) => value.safeBags);
		// Counted before any is unlocked: each takes its rounds
		const keys = bags
			.map(({ bagValue }) => bagValue)
			.filter((one) => one instanceof pkijs.PKCS8ShroudedKeyBag || one instanceof pkijs.PrivateKeyInfo);
		if (keys.length !== 1)
			return { problem: `The file holds ${keys.length} private keys; it should be one.` };
		const key = await unlocked(keys[0]!, secret);
		const own = createPrivateKey(key);
		const certificate = bags
			.filter(({ bagId }) => bagId === CERTIFICATE_BAG)
			.map(({ bagValue }) =>
				asPem(
					'CERTIFICATE',
					((bagValue as pkijs.CertBag).parsedValue as pkijs.Certificate).toSchema().toBER()
				)
			)
			.find((one) => new X509Certificate(one).checkPrivateKey(own));
		if (!certificate) return { problem: 'The file holds no certificate of that key.' };
		return readPem(`${certificate}\n${key}`);
	} catch {
		return { problem: NOT_READ };
	}
}
async function unlocked(
	key: pkijs.PKCS8ShroudedKeyBag | pkijs.PrivateKeyInfo,
	password: ArrayBuffer
): Promise<string> {
	if (key instanceof pkijs.PrivateKeyInfo) return asPem('PRIVATE KEY', key.toSchema().toBER());
	boundRounds(key.encryptionAlgorithm);
	await (key as unknown as Locked).parseInternalValues({ password }, engine);
	return asPem('PRIVATE KEY', key.parsedValue!.toSchema().toBER());
}
/** The library does not declare what it unlocks a key by. */
interface Locked {
	parseInternalValues(given: { password: ArrayBuffer }, engine: pkijs.CryptoEngine): Promise<void>;
}
/** Throws where deriving a key by it takes too long, or is not PBES2 (RFC 8018). */
function boundRounds({ algorithmParams }: pkijs.AlgorithmIdentifier): void {
	const { keyDerivationFunc } = new pkijs.PBES2Params({ schema: algorithmParams });
	const { iterationCount } = new pkijs.PBKDF2Params({ schema: keyDerivationFunc.algorithmParams });
	if (iterationCount > MOST_ROUNDS.secrecy) throw new Error('too many rounds');
}
const asPem = (what: string, octets: ArrayBuffer): string =>
	`-----BEGIN ${what}-----\n${Buffer.from(octets)
		.toString('base64')
		.replace(/.{64}(?=.)/g, '$&\n')}\n-----END ${what}-----\n`;
