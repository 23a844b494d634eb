import {
	createCipheriv,
	createDecipheriv,
	createHash,
	createHmac,
	createPrivateKey,
	generateKeyPairSync,
	randomBytes,
	timingSafeEqual,
	type KeyObject
} from 'node:crypto';
import {
	chmodSync,
	linkSync,
	mkdirSync,
	readFileSync,
	renameSync,
	statSync,
	unlinkSync,
	writeFileSync
} from 'node:fs';
import { dirname, join } from 'node:path';
import ssh2 from 'ssh2';
import { currentSettings } from './settings';

/**
 * The keys of this installation: files under the state directory, made at first start, readable by
 * their owner alone. Losing them means claiming every unit anew: back them up with the database.
 */
const CLAIM_KEY_BYTES = 32;

const keyPath = (name: string): string => join(currentSettings().LIMEN_STATE_DIR, 'keys', name);

/** Reads a key file, or makes it. Two processes that start at once end up with the same file. */
function keyFile(name: string, make: () => string): string {
	const path = keyPath(name);
	const folder = dirname(path);
	try {
		return readFileSync(path, 'utf8');
	} catch (error) {
		if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
	}
	mkdirSync(folder, { recursive: true });
	chmodSync(folder, 0o700);
	try {
		// Whole from the first moment: a name that is there is never half written
		const made = `${path}.${randomBytes(6).toString('hex')}`;
		writeFileSync(made, make(), { mode: 0o600, flag: 'wx' });
		try {
			linkSync(made, path);
		} finally {
			unlinkSync(made);
		}
	} catch (error) {
		if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
	}
	return readFileSync(path, 'utf8');
}

let claimKey: Buffer | undefined;
const claimKeyBytes = (): Buffer =>
	(claimKey ??= Buffer.from(
		keyFile('claim.key', () => randomBytes(CLAIM_KEY_BYTES).toString('hex')),
		'hex'
	));

/** HMAC-SHA-256 under this installation's key: for what people type in, and could be guessed from a bare hash. */
export const keyedHash = (text: string): Buffer =>
	createHmac('sha256', claimKeyBytes()).update(text).digest();

/** What is kept of a claim code. */
export const claimHash = keyedHash;

/** Tells whether the claim key is the one this database was made with, without telling the key. */
export const claimKeyMark = (): Buffer => claimHash('limen: mark of the claim key');

/**
 * Secrets are sealed with AES-256-GCM before they reach the database: `sealed:KEY:BASE64` of nonce,
 * ciphertext and tag. The ring holds one key a line, the one in use first; older ones stay for what was
 * sealed with them until it is sealed anew.
 */
const NONCE_BYTES = 12;
const TAG_BYTES = 16;
const SEALED = /^sealed:([0-9a-f]{12}):([A-Za-z0-9+/=]+)$/;

let ring: ReadonlyMap<string, Buffer> | undefined;
const keyRing = (): ReadonlyMap<string, Buffer> =>
	(ring ??= new Map(
		keyFile('secret.keys', () => randomBytes(32).toString('hex'))
			.split('\n')
			.filter(Boolean)
			.map((line) => {
				const key = Buffer.from(line.trim(), 'hex');
				if (key.length !== 32) throw new Error('The key file keys/secret.keys is damaged: restore it.');
				return [createHash('sha256').update(key).digest('hex').slice(0, 12), key];
			})
	));

/** The name of the key that secrets are sealed with now. */
export const secretKeyId = (): string => [...keyRing().keys()][0]!;
export const knowsSecretKey = (id: string): boolean => keyRing().has(id);

/** Adds a new key to the ring, in front; what is sealed with others must then be sealed anew. */
export function addSecretKey(): void {
	const path = keyPath('secret.keys');
	const next = `${randomBytes(32).toString('hex')}\n${[...keyRing().values()].map((key) => key.toString('hex')).join('\n')}`;
	writeFileSync(`${path}.next`, next, { mode: 0o600 });
	renameSync(`${path}.next`, path);
	ring = undefined;
}

export const isSealed = (text: string): boolean => SEALED.test(text);

export function seal(text: string): string {
	const [[id, key]] = [...keyRing()] as [[string, Buffer]];
	const nonce = randomBytes(NONCE_BYTES);
	const cipher = createCipheriv('aes-256-gcm', key, nonce);
	const sealed = Buffer.concat([nonce, cipher.update(text, 'utf8'), cipher.final(), cipher.getAuthTag()]);
	return `sealed:${id}:${sealed.toString('base64')}`;
}

/** Unseals what `seal` made; other text is given back as it is. Throws when the key is gone or the text was changed. */
export function unseal(text: string): string {
	const found = SEALED.exec(text);
	if (!found) return text;
	const key = keyRing().get(found[1]!);
	if (!key) throw new Error(`The key ${found[1]} that this was sealed with is not in keys/secret.keys.`);
	const sealed = Buffer.from(found[2]!, 'base64');
	const decipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, NONCE_BYTES));
	decipher.setAuthTag(sealed.subarray(-TAG_BYTES));
	return (
		decipher.update(sealed.subarray(NONCE_BYTES, -TAG_BYTES), undefined, 'utf8') + decipher.final('utf8')
	);
}

let signingKey: KeyObject | undefined;
/** Signs where the ledger stands (Ed25519). */
export const ledgerKey = (): KeyObject =>
	(signingKey ??= createPrivateKey(
		keyFile(
			'ledger.key',
			() => generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' }) as string
		)
	));

/** Compares in constant time. */
export const sameHash = (a: Uint8Array, b: Uint8Array): boolean =>
	a.length === b.length && timingSafeEqual(a, b);

/** A new SSH key. One in some 500 that ssh2 makes is not well-formed, and is made again. */
function newSshKey(): string {
	for (;;) {
		const { private: made } = ssh2.utils.generateKeyPairSync('ed25519', { comment: 'limen' });
		if (!(ssh2.utils.parseKey(made) instanceof Error)) return made;
	}
}

export interface CallHomeKey {
	/** In OpenSSH's form. */
	readonly private: string;
	readonly public: string;
	/** As everybody's tools show it: SHA-256 of the public key. */
	readonly fingerprint: string;
}
const CALL_HOME_KEYS = 'call-home.key';
const PRIVATE_KEYS = /-----BEGIN [A-Z ]+-----[\s\S]+?-----END [A-Z ]+-----\n?/g;

let sshKeys: { readonly state: string; readonly keys: readonly [CallHomeKey, ...CallHomeKey[]] } | undefined;

/**
 * The key pairs Limen logs in to units with, the newest first; its public half goes into each rendering. The older ones
 * are for units that were not given it yet. Another process can have changed the file.
 */
export function callHomeKeys(): readonly [CallHomeKey, ...CallHomeKey[]] {
	const path = keyPath(CALL_HOME_KEYS);
	const state = stateOf(path);
	if (sshKeys && sshKeys.state === state) return sshKeys.keys;
	const [first, ...others] = keyFile(CALL_HOME_KEYS, newSshKey).match(PRIVATE_KEYS) ?? [];
	if (first === undefined)
		throw new Error(`The key file keys/${CALL_HOME_KEYS} cannot be read: it has no key.`);
	const keys = [opened(first), ...others.map(opened)] as const;
	sshKeys = { state: stateOf(path), keys };
	return keys;
}

/** Changes with each change of the file. */
function stateOf(path: string): string {
	const found = statSync(path, { throwIfNoEntry: false });
	return found ? `${found.ino} ${found.mtimeMs} ${found.size}` : '';
}

function opened(stored: string): CallHomeKey {
	const parsed = ssh2.utils.parseKey(stored);
	if (parsed instanceof Error)
		throw new Error(`The key file keys/${CALL_HOME_KEYS} cannot be read: ${parsed.message}`);
	const key = Array.isArray(parsed) ? parsed[0] : parsed;
	const bytes = key.getPublicSSH();
	return {
		private: stored,
		public: `${key.type} ${bytes.toString('base64')}`,
		fingerprint: `SHA256:${createHash('sha256').update(bytes).digest('base64').replace(/=+$/, '')}`
	};
}

/** Limen's key that units are given from now on. */
export const callHomeKey = (): CallHomeKey => callHomeKeys()[0];

/** A new key in front; the others stay until no unit needs them. */
export function addCallHomeKey(): CallHomeKey {
	writeCallHomeKeys([newSshKey(), ...callHomeKeys().map((key) => key.private)]);
	return callHomeKey();
}

/** Destroys keys by their fingerprints; never the one that units are given. */
export function dropCallHomeKeys(fingerprints: readonly string[]): void {
	const [newest, ...older] = callHomeKeys();
	const kept = older.filter(({ fingerprint }) => !fingerprints.includes(fingerprint));
	writeCallHomeKeys([newest, ...kept].map((key) => key.private));
}

function writeCallHomeKeys(keys: readonly string[]): void {
	const path = keyPath(CALL_HOME_KEYS);
	const next = `${path}.${randomBytes(6).toString('hex')}`;
	writeFileSync(next, keys.map((key) => `${key.trimEnd()}\n`).join(''), { mode: 0o600 });
	renameSync(next, path);
}
