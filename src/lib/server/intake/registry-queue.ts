import type { Knex } from 'knex';
import pLimit from 'p-limit';
import { MOST_IN_REQUEST, pauseAfter, refusalWords, type RegistryResult } from '../../../core/intake';
import { database, REGISTRY, runAs, timeNow } from '../database';
import { unseal } from '../keys';
import { enterInLedger, LIMEN } from '../ledger';
import { notify, subscribe } from '../live';
import { log } from '../log';
import {
	ASKING_LEASE,
	askToClaim,
	askToRelease,
	registries,
	type RegistryAnswer,
	type RegistryPlace
} from './registries';

/**
 * Asks the makers' registries for what waits in `claim_request`, a few requests at a time, and notes what
 * they answer. What fails is asked again after a growing pause, also after a restart; requests that were
 * under way when the process ended are asked again when their lease is over, which does no harm.
 */
const LANES = 6;
/** So many requests at once: a lane that reads and notes meanwhile lets another ask. */
const REQUESTS_AT_ONCE = 3;
const LOOK_AGAIN_MS = 1_000;

let timer: NodeJS.Timeout | undefined;
let unsubscribe: (() => void) | undefined;
const busy = new Map<string, number>();
const turns = new Map<string, ReturnType<typeof pLimit>>();
function inTurn<Answer>({ makerId }: RegistryPlace, ask: () => Promise<Answer>): Promise<Answer> {
	const turn = turns.get(makerId) ?? pLimit(REQUESTS_AT_ONCE);
	turns.set(makerId, turn);
	return turn(ask);
}

export function startRegistries(): void {
	if (registries().length === 0) return;
	unsubscribe = subscribe(
		({ topic }) => topic === 'units' && wake(),
		() => false
	);
	timer = setInterval(wake, LOOK_AGAIN_MS);
	wake();
}

export function stopRegistries(): void {
	clearInterval(timer);
	unsubscribe?.();
	timer = undefined;
}

/** One lane looks whether anything is due; where there is much, others join it. */
function wake(): void {
	for (const registry of registries()) if (!busy.get(registry.makerId)) startLane(registry);
}

function startLane(registry: RegistryPlace): void {
	const lanes = busy.get(registry.makerId) ?? 0;
	if (lanes >= LANES) return;
	busy.set(registry.makerId, lanes + 1);
	void lane(registry);
}

async function lane(registry: RegistryPlace): Promise<void> {
	try {
		while (timer && (await askNext(registry)));
	} catch (error) {
		log.warn({ maker: registry.makerId, error: (error as Error).message }, 'a registry could not be asked');
	} finally {
		busy.set(registry.makerId, (busy.get(registry.makerId) ?? 1) - 1);
	}
}

interface Leased {
	readonly unit_id: string;
	readonly customer_id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly claim_code: string;
	readonly attempts: number;
}

/**
 * Asks a registry for the units that have waited longest, those to claim before those to give back; false
 * when none is due or it is left alone for now.
 */
export async function askNext(registry: RegistryPlace): Promise<boolean> {
	const leased = await runAs(REGISTRY, () => lease(registry.makerId, 'claim'));
	if (leased.length === 0) return releaseNext(registry);
	if (timer && leased.length === MOST_IN_REQUEST) startLane(registry);
	const units = leased.map(({ serial, mac, claim_code }) => ({ serial, mac, claimCode: unseal(claim_code) }));
	const answer = await inTurn(registry, () => askToClaim(registry, units));
	await runAs(REGISTRY, () => database().transaction((trx) => note(trx, registry.makerId, leased, answer)));
	return answer.ok;
}

async function releaseNext(registry: RegistryPlace): Promise<boolean> {
	const leased = await runAs(REGISTRY, () => lease(registry.makerId, 'release'));
	if (leased.length === 0) return false;
	const answer = await inTurn(registry, () =>
		askToRelease(
			registry,
			leased.map(({ serial }) => serial)
		)
	);
	await runAs(REGISTRY, () =>
		database().transaction((trx) => noteRelease(trx, registry.makerId, leased, answer))
	);
	return answer.ok;
}

async function noteRelease(
	trx: Knex,
	makerId: string,
	leased: readonly Leased[],
	answer: RegistryAnswer
): Promise<void> {
	if (!answer.ok) return noteFailure(trx, makerId, leased, answer);
	const ids = leased.map(({ unit_id }) => unit_id);
	await trx('unit')
		.whereIn('id', ids)
		.whereNotNull('out_of_service_at')
		.update({ ownership: 'released', ownership_words: '' });
	await trx('claim_request').whereIn('unit_id', ids).delete();
	for (const customerId of new Set(leased.map(({ customer_id }) => customer_id)))
		await notify(trx, 'units', customerId);
	await enterInLedger(
		trx,
		LIMEN,
		leased.map(({ unit_id, customer_id, serial }) => ({
			act: 'confirm release',
			customerId: customer_id,
			subjectKind: 'unit' as const,
			subjectId: unit_id,
			words: `The maker’s registry has released ${serial}: it is nobody’s of ours any more.`
		}))
	);
}

async function lease(makerId: string, kind: 'claim' | 'release'): Promise<readonly Leased[]> {
	const { rows } = await database().raw(
		`with due as (
			select unit_id from claim_request
			where maker_id = :maker and kind = :kind and next_at <= now()
				and not exists (select from registry_state where maker_id = :maker and paused_until > now())
			order by next_at, unit_id limit ${MOST_IN_REQUEST} for update skip locked
		), leased as (
			update claim_request set attempts = attempts + 1, next_at = now() + interval '${ASKING_LEASE}'
			from due where claim_request.unit_id = due.unit_id returning claim_request.*
		)
		select leased.unit_id, leased.customer_id, claim_code, attempts, serial, mac::text from leased join unit on unit.id = leased.unit_id`,
		{ maker: makerId, kind }
	);
	return rows;
}

async function note(trx: Knex, makerId: string, leased: readonly Leased[], answer: RegistryAnswer) {
	const maker = await trx('maker').where({ id: makerId }).first('name');
	if (!answer.ok) return noteFailure(trx, makerId, leased, answer);
	// Only when it had failed: lanes that write the same row wait for each other
	await trx('registry_state')
		.where({ maker_id: makerId })
		.where((failed) => failed.where('failures', '>', 0).orWhereNot('problem', ''))
		.update({ failures: 0, paused_until: null, problem: '', since: trx.fn.now() });
	const resultOf = new Map(answer.units.map(({ serial, result }) => [serial, result]));
	// A registry that says nothing of a unit has not decided
	const result = ({ serial }: Leased): RegistryResult => resultOf.get(serial) ?? 'pending';
	const decided = leased.filter((one) => result(one) !== 'pending');
	await trx.raw(
		`update unit set ownership = d.ownership, ownership_words = d.words
		from jsonb_to_recordset(?::jsonb) as d(id uuid, ownership text, words text) where unit.id = d.id`,
		[
			JSON.stringify(
				decided.map((one) => {
					const words = refusalWords(result(one), maker.name);
					return { id: one.unit_id, ownership: words ? 'refused' : 'confirmed', words: words ?? '' };
				})
			)
		]
	);
	await trx('claim_request')
		.whereIn(
			'unit_id',
			decided.map(({ unit_id }) => unit_id)
		)
		.delete();
	const ours = decided.filter((one) => refusalWords(result(one), maker.name) === null);
	if (ours.length > 0)
		await trx('voucher')
			.insert(ours.map(({ unit_id, customer_id }) => ({ unit_id, customer_id, maker_id: makerId })))
			.onConflict('unit_id')
			.merge({ next_at: trx.fn.now(), attempts: 0, problem: '' });
	await trx.raw(
		`update claim_request set problem = 'It has not decided yet.', next_at = now() + make_interval(secs => p.pause)
		from jsonb_to_recordset(?::jsonb) as p(id uuid, pause float8) where unit_id = p.id`,
		[
			JSON.stringify(
				leased
					.filter((one) => result(one) === 'pending')
					.map(({ unit_id, attempts }) => ({ id: unit_id, pause: pauseAfter(attempts) }))
			)
		]
	);
	const customers = [...new Set(decided.map(({ customer_id }) => customer_id))];
	for (const customerId of customers)
		await notify(
			trx,
			'units',
			customerId,
			decided.flatMap((one) => (one.customer_id === customerId ? [one.unit_id] : []))
		);
	await enterInLedger(
		trx,
		LIMEN,
		customers.map((customerId) => {
			const own = decided.filter((one) => one.customer_id === customerId);
			const refused = own.filter((one) => refusalWords(result(one), maker.name) !== null);
			return {
				act: 'confirm claim',
				customerId,
				subjectKind: 'customer' as const,
				subjectId: customerId,
				words: `${maker.name}’s registry confirmed ${own.length - refused.length} of ${own.length} claims.`,
				detail: { refused: Object.fromEntries(refused.map((one) => [one.serial, result(one)])) }
			};
		})
	);
}

/** The whole registry is left alone for a while, and what was asked goes back to the queue. */
async function noteFailure(
	trx: Knex,
	makerId: string,
	leased: readonly Leased[],
	{ problem, retryAfter }: Extract<RegistryAnswer, { ok: false }>
): Promise<void> {
	await trx('registry_state').insert({ maker_id: makerId }).onConflict('maker_id').ignore();
	const before = await trx('registry_state').where({ maker_id: makerId }).forUpdate().first();
	// Lanes that were asking at once fail at once: that is one failure
	const already = before.paused_until !== null && before.paused_until > new Date(timeNow());
	const failures = before.failures + (already ? 0 : 1);
	await trx('registry_state')
		.where({ maker_id: makerId })
		.update({
			failures,
			problem,
			since: before.failures === 0 ? trx.fn.now() : before.since,
			paused_until: trx.raw('now() + make_interval(secs => ?)', [pauseAfter(failures, retryAfter)])
		});
	const ids = leased.map(({ unit_id }) => unit_id);
	await trx('claim_request').whereIn('unit_id', ids).update({ next_at: trx.fn.now(), problem });
	for (const customerId of new Set(leased.map(({ customer_id }) => customer_id)))
		await notify(trx, 'units', customerId);
	log.warn({ maker: makerId, problem, failures }, 'a registry fails');
}
