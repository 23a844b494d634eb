import { X509Certificate } from 'node:crypto';
import type { Knex } from 'knex';
import pLimit from 'p-limit';
import { MOST_VOUCHERS, pauseAfter } from '../../../core/intake';
import { counted } from '../../../core/text';
import {
	isSame,
	openSigned,
	readVoucher,
	VOUCHER_JSON,
	voucherProblem,
	type Voucher
} from '../../../core/trust';
import { BOOTSTRAP, database, grouped, timeNow } from '../database';
import { ASKING_LEASE, askForVouchers, registries, type RegistryPlace, type VouchersGiven } from '../intake';
import { takeTurns, type Turns } from '../jobs';
import { enterInLedger, LIMEN } from '../ledger';
import { notify } from '../live';
import { signingKey } from '../signing';

/** What a maker that gives no vouchers is shown to say. */
const NONE_GIVEN = 'Its maker’s registry gives no vouchers.';
const ASKED_AGAIN = '1 day';
/** A voucher cannot be revoked, so it is short-lived; it is renewed when this share of its time is over. */
const RENEWED_AT = 2 / 3;
/** However short its time is. */
const LEAST_PAUSE_MS = 60_000;

let turns: Turns | undefined;

/** From now on vouchers are asked for, and renewed in time, for units that are confirmed to be ours and in service. */
export const startVouchers = (): void => void (turns = takeTurns('vouchers', 'units', renewVouchers));
/** Asks for nothing more; resolves when the registry that is asked has answered. */
export const stopVouchers = async (): Promise<void> => turns?.stop();

interface Due {
	readonly unit_id: string;
	readonly customer_id: string;
	readonly serial: string;
	readonly attempts: number;
}
/** The certificate that a voucher has to pin: that of the key which signs for its unit's customer. */
interface Pinned {
	readonly keyId: string;
	readonly der: Uint8Array;
}
const pinnedFor = async (customerId: string): Promise<Pinned> => {
	const { id, certificate } = await signingKey(customerId);
	return { keyId: id, der: new X509Certificate(certificate).raw };
};

/** Asks each registry for what is due, some at a time, until nothing is. */
export async function renewVouchers(isStopping: () => boolean): Promise<void> {
	for (const registry of registries()) while (!isStopping() && (await renewSome(registry)));
}

async function renewSome(registry: RegistryPlace): Promise<boolean> {
	const due = await lease(registry.makerId);
	if (due.length === 0) return false;
	const pinned = await pinnedFor(due[0]!.customer_id);
	const answer = await askForVouchers(
		registry,
		pinned.der,
		due.map(({ serial }) => ({ serial }))
	);
	if (answer.ok) {
		const given = new Map(answer.units.map(({ serial, voucher }) => [serial, voucher]));
		const outcomes = await Promise.all(due.map((one) => judged(one, given.get(one.serial) ?? null, pinned)));
		await database().transaction((trx) => keep(trx, outcomes, pinned));
		return true;
	}
	await database().transaction((trx) => notGiven(trx, due, answer));
	return false;
}

/** The registry did not answer, or gives none at all. */
async function notGiven(
	trx: Knex,
	due: readonly Due[],
	{ status, problem, retryAfter }: Extract<VouchersGiven, { ok: false }>
): Promise<void> {
	const isNone = status === 404 || status === 501;
	const ids = due.map(({ unit_id }) => unit_id);
	await trx('voucher')
		.whereIn('unit_id', ids)
		.update({
			problem: isNone ? NONE_GIVEN : problem,
			next_at: isNone
				? trx.raw(`now() + interval '${ASKED_AGAIN}'`)
				: trx.raw('now() + make_interval(secs => ?)', [pauseAfter(due[0]!.attempts + 1, retryAfter)])
		});
	for (const customerId of new Set(due.map(({ customer_id }) => customer_id)))
		await notify(trx, 'units', customerId);
}

/** What is due of a maker, or pins a key that signs no longer; all for which one key signs. */
async function lease(makerId: string): Promise<readonly Due[]> {
	const { rows } = await database().raw(
		`with due as (
			select voucher.unit_id, next_at, coalesce(own.id, firm.id) as key
			from voucher join unit on unit.id = voucher.unit_id
			join owner_key firm on firm.customer_id is null and firm.retired_at is null
			left join owner_key own on own.customer_id = voucher.customer_id and own.retired_at is null
			where voucher.maker_id = :maker and ownership = 'confirmed' and out_of_service_at is null
				and (next_at <= now() or (owner_key_id <> coalesce(own.id, firm.id) and attempts = 0))
			order by next_at, unit_id limit ${MOST_VOUCHERS} for update of voucher skip locked
		), leased as (
			update voucher set attempts = attempts + 1, next_at = now() + interval '${ASKING_LEASE}'
			from due where voucher.unit_id = due.unit_id
				and due.key = (select key from due order by next_at, unit_id limit 1)
			returning voucher.*
		)
		select leased.unit_id, leased.customer_id, attempts - 1 as attempts, serial from leased join unit on unit.id = leased.unit_id`,
		{ maker: makerId }
	);
	return rows;
}

type Outcome = Due &
	({ readonly content: Uint8Array; readonly voucher: Voucher } | { readonly problem: string });

/** What a registry gave for a unit; one that its unit would not believe is not kept. */
async function judged(one: Due, base64: string | null, pinned: Pinned): Promise<Outcome> {
	if (base64 === null) return { ...one, problem: 'Its maker’s registry gives none for it.' };
	const read = await opened(base64, { serial: one.serial, nonce: null }, pinned.der);
	return 'problem' in read
		? {
				...one,
				problem: `Its maker’s registry gave one that its unit would refuse. ${read.problem}`.slice(0, 500)
			}
		: { ...one, ...read };
}

async function opened(
	base64: string,
	about: { readonly serial: string; readonly nonce: string | null },
	pinned: Uint8Array
): Promise<{ readonly content: Uint8Array; readonly voucher: Voucher } | { readonly problem: string }> {
	const content = Buffer.from(base64, 'base64');
	const signed = await openSigned(content, VOUCHER_JSON, null, null);
	if (!signed.ok) return signed;
	const read = readVoucher(signed.content);
	if (!read.ok) return read;
	const problem = voucherProblem(read.voucher, {
		...about,
		now: about.nonce === null ? new Date(timeNow()) : null
	});
	if (problem !== null) return { problem };
	return isSame(read.voucher.pinned, pinned)
		? { content, voucher: read.voucher }
		: { problem: 'It pins another certificate than ours.' };
}

async function keep(trx: Knex, outcomes: readonly Outcome[], { keyId }: Pinned): Promise<void> {
	for (const one of outcomes)
		if ('problem' in one)
			await trx('voucher')
				.where({ unit_id: one.unit_id })
				.update({
					problem: one.problem,
					next_at: trx.raw('now() + make_interval(secs => ?)', [pauseAfter(one.attempts + 1)])
				});
		else {
			const [made, ends] = [one.voucher.createdOn, one.voucher.expiresOn!];
			const life = ends.getTime() - Math.max(made.getTime(), timeNow());
			await trx('voucher')
				.where({ unit_id: one.unit_id })
				.update({
					content: Buffer.from(one.content),
					owner_key_id: keyId,
					made_at: made,
					expires_at: ends,
					problem: '',
					attempts: 0,
					next_at: new Date(timeNow() + Math.max(life * RENEWED_AT, LEAST_PAUSE_MS))
				});
		}
	for (const customerId of new Set(outcomes.map(({ customer_id }) => customer_id))) {
		const own = outcomes.filter(({ customer_id }) => customer_id === customerId);
		const given = own.filter((one) => !('problem' in one));
		await notify(
			trx,
			'units',
			customerId,
			own.map(({ unit_id }) => unit_id)
		);
		if (given.length > 0)
			await enterInLedger(trx, LIMEN, [
				{
					act: 'get vouchers',
					customerId,
					subjectKind: 'customer',
					subjectId: customerId,
					words: `Vouchers were given for ${counted(given.length, 'unit')}.`,
					detail: { serials: given.map(({ serial }) => serial) }
				}
			]);
	}
}

/** A voucher as a unit is given it, with the key whose certificate it pins. */
export interface GivenVoucher {
	readonly content: Uint8Array;
	readonly keyId: string;
}

/** The voucher that is kept for a unit; null where there is none that is still good. */
export const keptVoucher = grouped<string, GivenVoucher | null>(BOOTSTRAP, async (unitIds) => {
	const rows: (GivenVoucher & { unitId: string })[] = await database()('voucher')
		.whereIn('unit_id', [...unitIds])
		.whereRaw('expires_at > now()')
		.select('unit_id as unitId', 'content', 'owner_key_id as keyId');
	const kept = new Map(rows.map((row) => [row.unitId, row]));
	return unitIds.map((id) => kept.get(id) ?? null);
});

/** A unit waits for its answer meanwhile. */
const PATIENCE_MS = 8_000;
const nonced = pLimit(8);
const MOST_WAITING = 100;

/** A voucher with the nonce that a unit has just sent, from its maker; null when none can be had in time. */
export async function noncedVoucher(
	unitId: string,
	serial: string,
	nonce: string
): Promise<GivenVoucher | null> {
	const unit = await database()('unit')
		.where({ id: unitId, ownership: 'confirmed', out_of_service_at: null })
		.first('maker_id as makerId', 'customer_id as customerId');
	const registry = registries().find(({ makerId }) => makerId === unit?.makerId);
	if (!registry || nonced.pendingCount >= MOST_WAITING) return null;
	return nonced(async () => {
		const { keyId, der } = await pinnedFor(unit!.customerId);
		const answer = await askForVouchers(registry, der, [{ serial, nonce }], PATIENCE_MS);
		const base64 = answer.ok ? answer.units.find((one) => one.serial === serial)?.voucher : null;
		const read = base64 ? await opened(base64, { serial, nonce }, der) : null;
		return read && !('problem' in read) ? { content: read.content, keyId } : null;
	});
}

/** How it stands with a unit's voucher, for people; null for a maker of whom none can be asked. */
export async function voucherOf(
	unitId: string
): Promise<{ readonly expiresAt: Date | null; readonly problem: string } | null> {
	const row = await database()('voucher')
		.where({ unit_id: unitId })
		.first('maker_id as makerId', 'expires_at as expiresAt', 'problem');
	return row && registries().some(({ makerId }) => makerId === row.makerId)
		? { expiresAt: row.expiresAt, problem: row.problem }
		: null;
}
