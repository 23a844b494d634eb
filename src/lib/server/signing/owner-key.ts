import { createPrivateKey, randomBytes, webcrypto, X509Certificate } from 'node:crypto';
import type { Knex } from 'knex';
import 'reflect-metadata';
import * as x509 from '@peculiar/x509';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { done, refuse, type Act } from '../act';
import { database, isRefusal } from '../database';
import { seal, unseal } from '../keys';
import { enterInLedger, LIMEN, type Actor } from '../ledger';
import { currentSettings } from '../settings';
import type { SigningKey } from './cms';

/** The firm's key: it signs what is handed over. Kept sealed in the database, and so in backups. */
export interface OwnerKey {
	readonly id: string;
	readonly certificate: string;
	readonly madeAt: Date;
	readonly retiredAt: Date | null;
	readonly isBrought: boolean;
	readonly notBefore: Date;
	readonly notAfter: Date;
	readonly subject: string;
	/** SHA-256, as openssl writes it. */
	readonly fingerprint: string;
	readonly signed: number;
}

const ALGORITHM = { name: 'ECDSA', namedCurve: 'P-256', hash: 'SHA-256' };
const YEARS = 5;
const DAY_MS = 24 * 3_600_000;

/** Makes the first key where there is none; two processes that start at once make one. */
export async function ensureOwnerKey(): Promise<void> {
	if (await database()('owner_key').whereNull('retired_at').first('id')) return;
	const made = await makeKey();
	await database()
		.transaction(async (trx) => {
			const id = await insertKey(trx, made, false);
			await enterInLedger(trx, LIMEN, [noted('made', id, 'The firm’s signing key was made.')]);
		})
		.catch((error: Error) => {
			if (!isRefusal(error)) throw error;
		});
}

const noted = (act: 'made' | 'renewed', id: string, words: string) => ({
	act: `owner key ${act}`,
	customerId: null,
	subjectKind: 'key' as const,
	subjectId: id,
	words
});

async function makeKey(): Promise<SigningKey> {
	const crypto = webcrypto as unknown as Crypto;
	const keys = await crypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
	const now = Date.now();
	const firm =
		currentSettings()
			.LIMEN_FIRM.replace(/[^\p{Letter}\p{Number} .&-]/gu, ' ')
			.trim() || 'Limen';
	const certificate = await x509.X509CertificateGenerator.createSelfSigned(
		{
			serialNumber: randomBytes(16).toString('hex'),
			name: [{ CN: [`${firm} signing key`] }],
			notBefore: new Date(now - 60_000),
			notAfter: new Date(now + YEARS * 365 * DAY_MS),
			signingAlgorithm: ALGORITHM,
			keys,
			extensions: [
				new x509.BasicConstraintsExtension(true, 0, true),
				new x509.KeyUsagesExtension(
					x509.KeyUsageFlags.digitalSignature | x509.KeyUsageFlags.keyCertSign,
					true
				)
			]
		},
		crypto
	);
	const pkcs8 = Buffer.from(await crypto.subtle.exportKey('pkcs8', keys.privateKey));
	const key = createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' });
	return {
		key: key.export({ type: 'pkcs8', format: 'pem' }).toString(),
		certificate: certificate.toString('pem')
	};
}

/** Its id. */
async function insertKey(trx: Knex, { key, certificate }: SigningKey, isBrought: boolean): Promise<string> {
	const id = uuid();
	await trx('owner_key').insert({ id, certificate, private_key: seal(key), is_brought: isBrought });
	return id;
}

/** The key that signs now. */
export async function signingKey(knex: Knex = database()): Promise<SigningKey & { readonly id: string }> {
	const row = await knex('owner_key')
		.whereNull('retired_at')
		.first('id', 'certificate', 'private_key as key');
	return { id: row.id, certificate: row.certificate, key: unseal(row.key) };
}

/** All keys that ever signed, the present one first. */
export async function ownerKeys(): Promise<readonly OwnerKey[]> {
	const rows = await database()('owner_key')
		.orderByRaw('retired_at desc nulls first')
		.select(
			'id',
			'certificate',
			'made_at as madeAt',
			'retired_at as retiredAt',
			'is_brought as isBrought',
			database().raw('limen_signed_by(owner_key.id) as signed')
		);
	return rows.map((row) => {
		const certificate = new X509Certificate(row.certificate);
		return {
			...row,
			notBefore: new Date(certificate.validFrom),
			notAfter: new Date(certificate.validTo),
			subject: certificate.subject.replace(/^CN=/, ''),
			fingerprint: certificate.fingerprint256
		};
	});
}

export const keySchema = v.object({
	pem: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40_000)), '')
});

/**
 * From now on another key signs: a new one, or one that is brought as PEM (private key and certificate). What was signed
 * before is still verified by the certificate of its time. Administrators may. Refused: a key that does not belong to its
 * certificate, a certificate that has ended, a kind of key that nobody here can sign with.
 */
export async function renewOwnerKey({ pem }: v.InferOutput<typeof keySchema>, actor: Actor): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse('The signing key is for administrators.');
	const brought = pem === '' ? null : readPem(pem);
	if (brought && 'problem' in brought) return refuse(brought.problem);
	const key = brought ?? (await makeKey());
	return database().transaction(async (trx) => {
		await trx('owner_key').whereNull('retired_at').update({ retired_at: trx.fn.now() });
		const id = await insertKey(trx, key, brought !== null);
		await enterInLedger(trx, actor, [
			noted(
				'renewed',
				id,
				`The firm’s signing key was ${brought ? 'brought' : 'made anew'}; what was signed before stays good.`
			)
		]);
		return done(undefined);
	});
}

function readPem(pem: string): SigningKey | { readonly problem: string } {
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
		if (new Date(read.validTo) < new Date()) return { problem: 'The certificate has ended already.' };
		return { certificate: `${certificate}\n`, key: own.export({ type: 'pkcs8', format: 'pem' }).toString() };
	} catch {
		return { problem: 'One of them cannot be read: both should be PEM.' };
	}
}
