import { createHash, createPublicKey, createVerify, type KeyObject, type Verify } from 'node:crypto';

/** The public keys that a firmware line's images are signed with, as PEM, and whether all have to be. */
export interface Signers {
	readonly keys: readonly string[];
	readonly isRequired: boolean;
}
/** Of a signature; a key of 8,192 bits makes 1,024 octets. */
export const LONGEST_SIGNATURE = 1024;
const FEWEST_BITS = 2048;

/** Why a key is none that images can be signed with; null when it is one: RSA of 2,048 bits or more, or an elliptic curve. */
export function strangeSigner(pem: string): string | null {
	let key: KeyObject;
	try {
		key = createPublicKey(pem);
	} catch {
		return 'This is no public key in PEM (RFC 7468).';
	}
	if (key.asymmetricKeyType === 'ec') return null;
	if (key.asymmetricKeyType !== 'rsa') return 'Images are signed with RSA or an elliptic curve.';
	return key.asymmetricKeyDetails!.modulusLength! < FEWEST_BITS
		? `An RSA key has at least ${FEWEST_BITS} bits.`
		: null;
}

/**
 * Checks a detached signature over SHA-256 of an image, while the image streams past: RSASSA-PKCS1-v1_5 (RFC 8017), or ECDSA as
 * DER (RFC 3279), as `openssl dgst -sha256 -sign` makes them.
 */
export class SignatureCheck {
	readonly #checks: readonly { readonly key: KeyObject; readonly verify: Verify }[];
	readonly #signature: Buffer;

	constructor({ keys }: Signers, signature: Buffer) {
		this.#signature = signature;
		this.#checks = keys.map((pem) => ({ key: createPublicKey(pem), verify: createVerify('sha256') }));
	}

	update(chunk: Uint8Array): void {
		for (const { verify } of this.#checks) verify.update(chunk);
	}

	/** SHA-256 of the key that signed what went past; null when none of them did. */
	signer(): Buffer | null {
		const found = this.#checks.find(({ key, verify }) => verify.verify(key, this.#signature));
		return found
			? createHash('sha256')
					.update(found.key.export({ type: 'spki', format: 'der' }))
					.digest()
			: null;
	}
}
