import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ssh2 from 'ssh2';
import { currentSettings } from './settings';

/**
 * The keys of this installation: files under the state directory, made at first start, readable by
 * their owner alone. Losing them means claiming every unit anew: back them up with the database.
 */
const CLAIM_KEY_BYTES = 32;

/** Reads a key file, or makes it. Two processes that start at once end up with the same file. */
function keyFile(name: string, make: () => string): string {
	const folder = join(currentSettings().LIMEN_STATE_DIR, 'keys');
	const path = join(folder, name);
	try {
		return readFileSync(path, 'utf8');
	} catch (error) {
		if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
	}
	mkdirSync(folder, { recursive: true });
	chmodSync(folder, 0o700);
	try {
		writeFileSync(path, make(), { mode: 0o600, flag: 'wx' });
	} catch (error) {
		if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
	}
	return readFileSync(path, 'utf8');
}

let claimKey: Buffer | undefined;

/** What is kept of a claim code: its HMAC-SHA-256 under this installation's key. */
export function claimHash(claimCode: string): Buffer {
	claimKey ??= Buffer.from(
		keyFile('claim.key', () => randomBytes(CLAIM_KEY_BYTES).toString('hex')),
		'hex'
	);
	return createHmac('sha256', claimKey).update(claimCode).digest();
}

/** Compares in constant time. */
export const sameHash = (a: Uint8Array, b: Uint8Array): boolean =>
	a.length === b.length && timingSafeEqual(a, b);

let sshKey: { private: string; public: string } | undefined;

/** The key pair Limen logs in to units with; the public half goes into each rendering. */
export function callHomeKey(): { readonly private: string; readonly public: string } {
	if (!sshKey) {
		const stored = keyFile(
			'call-home.key',
			() => ssh2.utils.generateKeyPairSync('ed25519', { comment: 'limen' }).private
		);
		const parsed = ssh2.utils.parseKey(stored);
		if (parsed instanceof Error)
			throw new Error(`The key file keys/call-home.key cannot be read: ${parsed.message}`);
		const key = Array.isArray(parsed) ? parsed[0] : parsed;
		sshKey = { private: stored, public: `${key.type} ${key.getPublicSSH().toString('base64')}` };
	}
	return sshKey;
}
