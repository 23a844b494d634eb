import { X509Certificate } from 'node:crypto';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import { dayOf } from '../../../core/text';
import { issue } from '../../../core/trust';
import { done, refuse, type Act } from '../act';
import { database, isRefusal, timeNow } from '../database';
import { oneId } from '../forms';
import { seal, unseal } from '../keys';
import { enterInLedger, LIMEN, type Actor } from '../ledger';
import { post } from '../mail';
import { currentSettings, publicUrl } from '../settings';
import { LARGEST_KEY_FILE, readPem, readPkcs12 } from './brought-key';
import type { SigningKey } from './cms';

/**
 * A key that signs what is handed over and what factory-new units are given: the firm's, or one that a customer has for
 * itself alone. Kept sealed in the database, and so in backups.
 */
export interface OwnerKey {
	readonly id: string;
	/** Whose it is, by name; null: the firm's. */
	readonly customer: string | null;
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

const YEARS = 5;
/** A common name has 64 characters at most (RFC 5280). */
const MOST_NAME = 50;
const DAY_MS = 24 * 3_600_000;

/** Makes the first key where there is none; two processes that start at once make one. */
export async function ensureOwnerKey(): Promise<void> {
	if (await database()('owner_key').where({ retired_at: null, customer_id: null }).first('id')) return;
	const made = await makeKey(currentSettings().LIMEN_FIRM);
	await database()
		.transaction(async (trx) => {
			const id = await insertKey(trx, made, { customerId: null, isBrought: false });
			await enterInLedger(trx, LIMEN, [noted('made', null, id, 'The firm’s signing key was made.')]);
		})
		.catch((error: Error) => {
			if (!isRefusal(error)) throw error;
		});
}

const noted = (
	act: 'made' | 'renewed' | 'given up',
	customerId: string | null,
	id: string,
	words: string
) => ({
	act: `owner key ${act}`,
	customerId,
	subjectKind: 'key' as const,
	subjectId: id,
	words
});

async function makeKey(owner: string): Promise<SigningKey> {
	const now = timeNow();
	const plain = owner
		.replace(/[^\p{Letter}\p{Number} .&-]/gu, ' ')
		.trim()
		.slice(0, MOST_NAME);
	const { key, chain } = await issue({
		subject: [{ CN: [`${plain || 'Limen'} signing key`] }],
		from: new Date(now - 60_000),
		until: new Date(now + YEARS * 365 * DAY_MS),
		isAuthority: true
	});
	return { key, certificate: chain[0]! };
}

/** Its id. */
async function insertKey(
	trx: Knex,
	{ key, certificate }: SigningKey,
	{ customerId, isBrought }: { readonly customerId: string | null; readonly isBrought: boolean }
): Promise<string> {
	const id = uuid();
	await trx('owner_key').insert({
		id,
		customer_id: customerId,
		certificate,
		private_key: seal(key),
		is_brought: isBrought
	});
	return id;
}

/** The key that signs for a customer now: its own, else the firm's. */
export async function signingKey(customerId: string | null): Promise<SigningKey & { readonly id: string }> {
	const row = await database()('owner_key')
		.whereNull('retired_at')
		.where((own) => void own.whereNull('customer_id').orWhere('customer_id', customerId))
		.orderByRaw('customer_id nulls last')
		.first('id', 'certificate', 'private_key as key');
	return { id: row.id, certificate: row.certificate, key: unseal(row.key) };
}

/** So long before the certificate of the key that signs ends it is told. */
const TOLD_DAYS_BEFORE = 60;

/** Of the keys that sign, the one whose certificate ends first, once that is told; null before. */
export async function keyEndsSoon(): Promise<{ readonly subject: string; readonly end: Date } | null> {
	const [first] = [...(await endingKeys())].sort((one, other) => +one.end - +other.end);
	return first ?? null;
}
async function endingKeys(): Promise<
	readonly { readonly id: string; readonly subject: string; readonly end: Date }[]
> {
	const rows: { id: string; certificate: string }[] = await database()('owner_key')
		.whereNull('retired_at')
		.select('id', 'certificate');
	return rows.flatMap(({ id, certificate }) => {
		const { validTo, subject } = new X509Certificate(certificate);
		const end = new Date(validTo);
		return end.getTime() - timeNow() < TOLD_DAYS_BEFORE * DAY_MS
			? [{ id, subject: named(subject), end }]
			: [];
	});
}
const named = (subject: string): string => subject.replace(/^CN=/, '');

/** Writes to every administrator, once for a key, that its certificate ends soon. Runs as SIGN_IN, who writes to people. */
export async function tellOfKeyEnd(): Promise<void> {
	for (const { id, subject, end } of await endingKeys()) {
		const day = dayOf(end, undefined, new Date(timeNow()));
		await database().transaction(async (trx) => {
			const told = await trx('owner_key')
				.where({ id, end_told_at: null })
				.update({ end_told_at: trx.fn.now() });
			if (told === 0) return;
			const people: { name: string; email: string }[] = await trx('person')
				.where({ administrator: true, disabled_at: null })
				.select('name', 'email');
			for (const { name, email } of people)
				await post(trx, {
					to: email,
					subject: `“${subject}” ends on ${day}`,
					text: `Good day ${name},\n\nthe certificate of the signing key “${subject}” ends on ${day}. After that no factory-new unit believes what it is given under it, and nobody can verify a handover that is sealed later.\n\nMake or bring another one: ${publicUrl(currentSettings())}/signing\n\nWhat was signed before stays good. Makers are asked at once for vouchers that name the new certificate.\n`
				});
		});
	}
}

/** All keys that ever signed: the firm's first, then by customer, of each the present one first. */
export async function ownerKeys(): Promise<readonly OwnerKey[]> {
	const rows = await database()('owner_key')
		.leftJoin('customer', 'customer.id', 'customer_id')
		.orderByRaw('customer.name nulls first, retired_at desc nulls first')
		.select(
			'owner_key.id',
			'customer.name as customer',
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
			subject: named(certificate.subject),
			fingerprint: certificate.fingerprint256
		};
	});
}

/** Whose key: empty is the firm's. */
const whose = v.optional(v.union([v.literal(''), oneId('Choose a customer.')]), '');
export const keySchema = v.object({
	customer: whose,
	pem: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40_000)), ''),
	/** PKCS #12, in place of PEM. */
	file: v.optional(
		v.pipe(
			v.instance(File),
			v.check(({ size }) => size <= LARGEST_KEY_FILE, 'That is no file of one key: it is too large.')
		)
	),
	password: v.optional(v.pipe(v.string(), v.maxLength(200)), '')
});
export const ownKeySchema = v.object({ customer: oneId('Choose a customer.') });

/**
 * From now on another key signs, for all or for one customer: a new one, or one that is brought as PEM (private key and
 * certificate) or as PKCS #12 with its password. What was signed before is still verified by the certificate of its time. Administrators may. Refused: a
 * key that does not belong to its certificate, a certificate that has ended, a kind of key that nobody here can sign with.
 */
export async function renewOwnerKey(
	{ pem, file, password, customer }: v.InferOutput<typeof keySchema>,
	actor: Actor
): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse('Signing keys are for administrators.');
	const isFile = file !== undefined && file.size > 0;
	if (isFile && pem !== '') return refuse('One of them is enough: PEM, or a file.');
	const brought = isFile
		? await readPkcs12(new Uint8Array(await file.arrayBuffer()), password)
		: pem === ''
			? null
			: readPem(pem);
	if (brought && 'problem' in brought) return refuse(brought.problem);
	const customerId = customer === '' ? null : customer;
	const owner = await ownerName(database(), customerId);
	if (owner === undefined) return refuse('There is no such customer any more.');
	const key = brought ?? (await makeKey(customerId === null ? currentSettings().LIMEN_FIRM : owner));
	return database().transaction(async (trx) => {
		await trx('owner_key')
			.where({ retired_at: null, customer_id: customerId })
			.update({ retired_at: trx.fn.now() });
		const id = await insertKey(trx, key, { customerId, isBrought: brought !== null });
		await enterInLedger(trx, actor, [
			noted(
				'renewed',
				customerId,
				id,
				`The signing key of ${owner} was ${brought ? 'brought' : 'made again'}; what was signed before stays good.`
			)
		]);
		return done(undefined);
	});
}

/** A customer has no key of its own any more; the firm's signs for it again. Administrators may. */
export async function giveUpOwnKey(
	{ customer: customerId }: v.InferOutput<typeof ownKeySchema>,
	actor: Actor
): Promise<Act> {
	if (!actor.may('manage people', null)) return refuse('Signing keys are for administrators.');
	return database().transaction(async (trx) => {
		const [given] = await trx('owner_key')
			.where({ retired_at: null, customer_id: customerId })
			.update({ retired_at: trx.fn.now() })
			.returning('id');
		if (!given) return refuse('It has no key of its own any more.');
		const owner = await ownerName(trx, customerId);
		await enterInLedger(trx, actor, [
			noted(
				'given up',
				customerId,
				given.id,
				`${owner} has no signing key of its own any more; the firm’s signs.`
			)
		]);
		return done(undefined);
	});
}

/** Undefined where there is no such customer. */
async function ownerName(knex: Knex, customerId: string | null): Promise<string | undefined> {
	if (customerId === null) return 'the firm';
	return (await knex('customer').where({ id: customerId }).first('name'))?.name;
}
