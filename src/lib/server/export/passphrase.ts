import { createCipheriv, createDecipheriv, randomBytes, scryptSync } from 'node:crypto';
import { isSealed, seal, unseal } from '../keys';

/**
 * Secrets between two installations, each of which seals with keys of its own: AES-256-GCM (NIST SP 800-38D) under a key that
 * scrypt (RFC 7914; N = 2¹⁵, r = 8, p = 1) makes of a passphrase and the salt in the manifest. Written as
 * `limen-secret:` and base64 of nonce (12 octets), ciphertext and tag (16).
 */
const MARK = 'limen-secret:';
const NONCE = 12;
const TAG = 16;
export const LEAST_PASSPHRASE = 12;

export const newSalt = (): string => randomBytes(16).toString('base64');
export const keyOf = (passphrase: string, salt: string): Buffer =>
	scryptSync(passphrase.normalize('NFC'), Buffer.from(salt, 'base64'), 32, {
		N: 2 ** 15,
		r: 8,
		p: 1,
		maxmem: 64 * 1024 * 1024
	});

export function lock(text: string, key: Buffer): string {
	const nonce = randomBytes(NONCE);
	const cipher = createCipheriv('aes-256-gcm', key, nonce);
	const locked = Buffer.concat([nonce, cipher.update(text, 'utf8'), cipher.final(), cipher.getAuthTag()]);
	return MARK + locked.toString('base64');
}

/** Null: it was not locked with this key. */
export function unlock(text: string, key: Buffer): string | null {
	const octets = Buffer.from(text.slice(MARK.length), 'base64');
	if (!text.startsWith(MARK) || octets.length < NONCE + TAG) return null;
	try {
		const decipher = createDecipheriv('aes-256-gcm', key, octets.subarray(0, NONCE));
		decipher.setAuthTag(octets.subarray(-TAG));
		return Buffer.concat([decipher.update(octets.subarray(NONCE, -TAG)), decipher.final()]).toString('utf8');
	} catch {
		return null;
	}
}

const SEALED = /sealed:[0-9a-f]+:[A-Za-z0-9+/]+=*/g;
const LOCKED = /limen-secret:[A-Za-z0-9+/]+=*/g;

/** A line of JSON whose sealed texts are locked with a key instead. */
export const locked = (line: string, key: Buffer): string =>
	line.replace(SEALED, (text) => (isSealed(text) ? lock(unseal(text), key) : text));
/** The other way: whatever was locked with the key is sealed with this installation's. */
export const sealedAgain = (line: string, key: Buffer): string =>
	line.replace(LOCKED, (text) => {
		const secret = unlock(text, key);
		return secret === null ? text : seal(secret);
	});
