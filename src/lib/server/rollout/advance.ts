import type { Knex } from 'knex';
import {
	mayJoin,
	spanFor,
	verdict,
	type Outcome,
	type RolloutKind,
	type RolloutState,
	type Verdict
} from '../../../core/rollout';
import { flashTitle, flashWords, type FlashState } from '../../../core/firmware';
import { sendTitle, sendWords, type SendState } from '../../../core/send';
import { signatureOf } from '../../../core/watch';
import { openSpans } from '../../../core/windows';
import { counted } from '../../../core/text';
import { BOOTSTRAP, database, runAs } from '../database';
import { enterInLedger, LIMEN, type Actor } from '../ledger';
import { notify } from '../live';
import { actorById } from '../people';
import { windowsAt } from '../windows';
import type { Going } from './going';
import { beginItem, letGoOfUnbegun, type Claimed } from './item';
import { toTell } from './tell';

/**
 * One turn: what has ended is noted, the stop rule is asked, and as many units are claimed as may begin now. What was
 * claimed is begun afterwards, each in a transaction of its own as whoever began the rollout; a kill in between leaves
 * it claimed and not begun, and it waits again. `now`: by which windows
 * are open. Resolves with how many are settled by it, begun or left out. Runs as BOOTSTRAP.
 */
export async function advance(id: string, now = Date.now()): Promise<number> {
	const actor = await whoBegan(id);
	if (!actor) return 0;
	const claimed = await database().transaction(async (trx) => {
		const going = await lock(trx, id);
		if (!going) return null;
		await letGoOfUnbegun(trx, id);
		const changed = await settle(trx, going);
		const state = (await mayGoOn(trx, going, actor)) ? await judge(trx, going) : 'paused';
		if (await ends(trx, { ...going, state })) return null;
		const items = state === 'under way' ? await claim(trx, going, now) : [];
		if (changed > 0 || items.length > 0 || state !== going.state)
			await notify(trx, 'rollouts', going.customerId, [id]);
		return { going, items };
	});
	if (!claimed) return 0;
	let settled = 0;
	for (const item of claimed.items) if (await beginItem(claimed.going, item)) settled++;
	if (claimed.items.length > 0)
		await runAs(BOOTSTRAP, () =>
			database().transaction((trx) => notify(trx, 'rollouts', claimed.going.customerId, [id]))
		);
	return settled;
}

/** Whoever began it, as they are now; null when it is over. */
async function whoBegan(id: string): Promise<Actor | null> {
	const row = await database()('rollout')
		.where({ id })
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.first('person_id', 'actor', 'address');
	return row ? actorById(row.person_id, row.actor, row.address) : null;
}

/** Whether whoever began it may still send to all that waits; else it is paused until somebody who may lets it go on. */
async function mayGoOn(trx: Knex, going: Going, actor: Actor): Promise<boolean> {
	if (going.state !== 'under way') return true;
	const { rows } = await trx.raw(
		`select distinct customer_id as id from rollout_item where rollout_id = ? and state = 'waiting'`,
		[going.id]
	);
	if ((rows as { id: string }[]).every(({ id }) => actor.may('send', id))) return true;
	const words = `Paused: ${going.actor}, who began it, may not send to all of its units any more.`;
	await trx('rollout').where({ id: going.id }).update({ state: 'paused', words });
	await entered(trx, going, 'rollout paused', words);
	return false;
}

async function lock(trx: Knex, id: string): Promise<Going | undefined> {
	return trx('rollout')
		.where({ id })
		.whereIn('state', ['under way', 'paused', 'stopped'])
		.forUpdate()
		.skipLocked()
		.first(
			'id', 'title', 'kind', 'state', 'customer_id as customerId', 'rules', 'person_id as personId', 'actor', 'address', 'reason', 'asked', 'words',
			'counted_after as countedAfter', 'stopped_models as stoppedModels', trx.raw('until < now() as "isPast"')
		); // prettier-ignore
}

interface Ended {
	readonly unit: string;
	readonly serial: string;
	readonly site: string;
	readonly position: string;
	readonly flash: FlashState | null;
	readonly send: SendState | null;
	readonly refusal: string | null;
	readonly isBack: boolean;
	readonly isAway: boolean;
	readonly isUnbound: boolean;
	readonly at: Date | null;
}

/** Who has not come back in so long has failed, whatever comes of it later. */
const AWAY = '15 minutes';

/** Notes what has ended; how many that were. */
async function settle(trx: Knex, { id, kind }: Going): Promise<number> {
	const { rows } = await trx.raw(
		`select item.unit_id as unit, serial, site.name as site, position.name as position, coalesce(flash.ended_at, send.ended_at) as at,
			case when flash.ended_at is not null then flash.state end as flash, case when send.ended_at is not null then send.state end as send,
			coalesce(flash.refusal, send.refusal, errand.words) as refusal,
			errand.state = 'done' and exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null and c.since > errand.begun_at) as "isBack",
			coalesce(flash.ended_at is null and flash.state = 'installing' and flash.said_at < now() - interval '${AWAY}', false)
				or coalesce(errand.state = 'done' and errand.ended_at < now() - interval '${AWAY}', false) or errand.state in ('failed', 'expired', 'cancelled', 'uncertain') as "isAway",
			binding.unit_id is null as "isUnbound"
		from rollout_item item join unit on unit.id = item.unit_id join site on site.id = item.site_id join position on position.id = item.position_id
		left join flash on flash.id = item.flash_id left join send on send.id = item.send_id left join errand on errand.id = item.errand_id
		left join binding on binding.unit_id = item.unit_id and binding.position_id = item.position_id
		where item.rollout_id = ? and item.state = 'under way' and coalesce(item.flash_id, item.send_id, item.errand_id) is not null
		order by coalesce(flash.ended_at, send.ended_at)`,
		[id]
	);
	const outcomes = (rows as Ended[]).flatMap((one) => {
		const outcome = outcomeOf(one, kind);
		return outcome ? [{ unit: one.unit, at: one.at, ...outcome }] : [];
	});
	if (outcomes.length > 0)
		await trx.raw(
			`update rollout_item item set state = o.state, words = o.words, signature = o.signature, ended_at = coalesce(o.at, clock_timestamp()),
				ended_as = before.outcomes + o.ordinal
			from rows from (jsonb_to_recordset(:outcomes::jsonb) as (unit uuid, at timestamptz, state text, words text, signature text)) with ordinality as o(unit, at, state, words, signature, ordinal),
				(select coalesce(max(ended_as), 0) as outcomes from rollout_item where rollout_id = :id) before
			where item.rollout_id = :id and item.unit_id = o.unit`,
			{ id, outcomes: JSON.stringify(outcomes) }
		);
	// What came late is told, though it failed
	await trx.raw(
		`update rollout_item item set words = item.words || ' Later it did.' from flash
		where flash.id = item.flash_id and item.rollout_id = ? and item.state = 'failed' and flash.state = 'done' and item.words not like '%Later it did.'`,
		[id]
	);
	return outcomes.length;
}

function outcomeOf(one: Ended, kind: RolloutKind) {
	const failed = (title: string, words: string) => ({
		state: 'failed',
		words: words.slice(0, 2_000),
		signature: signatureOf({ step: 'firmware', kind: 'proof', words: `${title} ${words}` }, null, [
			one.serial,
			one.site,
			one.position
		]).key.slice(0, 500)
	});
	const went = { state: 'done', words: '', signature: '' };
	if (one.flash)
		return one.flash === 'done'
			? went
			: failed(flashTitle(one.flash), `${flashWords(one.flash)} ${one.refusal ?? ''}`.trim());
	if (one.send)
		return one.send === 'confirmed'
			? went
			: failed(sendTitle(one.send), `${sendWords(one.send)} ${one.refusal ?? ''}`.trim());
	if (kind === 'restart' && one.isBack) return went;
	if (one.isAway)
		return failed('away', kind === 'restart' && one.refusal ? one.refusal : 'It has not come back.');
	return one.isUnbound ? failed('unbound', 'It was taken from its position.') : null;
}

const percent = (failures: number, after: number): string => `${failures} of ${after} failed`;

/** Asks the stop rule; the state that the rollout is in then. */
async function judge(trx: Knex, going: Going): Promise<RolloutState> {
	if (going.state !== 'under way') return going.state;
	const outcomes: Outcome[] = await trx('rollout_item')
		.where({ rollout_id: going.id })
		.whereIn('state', ['done', 'failed'])
		.where('ended_as', '>', going.countedAfter)
		.orderBy('ended_as')
		.select('model_id as model', trx.raw(`state = 'failed' as failed`), 'signature');
	let stopped = going.stoppedModels;
	for (;;) {
		const said = verdict(outcomes, going.rules.stop, new Set(stopped));
		if (said.kind === 'go on') return 'under way';
		if (said.kind === 'stop') {
			await stopAll(trx, going, said);
			return 'stopped';
		}
		stopped = [...stopped, said.model];
		await stopModel(trx, going, said, stopped);
	}
}

async function stopAll(
	trx: Knex,
	going: Going,
	{ failures, after }: Extract<Verdict, { kind: 'stop' }>
): Promise<void> {
	const words = `Stopped: ${percent(failures, after)}, which is more than the ${going.rules.stop.allowed * 100} % that are allowed.`;
	await trx('rollout').where({ id: going.id }).update({ state: 'stopped', words });
	await entered(trx, going, 'rollout stopped', words);
	await toTell(trx, going.id, words);
}

async function stopModel(
	trx: Knex,
	going: Going,
	{ model, failures, after }: Extract<Verdict, { kind: 'stop model' }>,
	stopped: readonly string[]
): Promise<void> {
	const { name } = await trx('model').where({ id: model }).first('name');
	const words = `Stopped for ${name}: ${percent(failures, after)} in one way. The other models go on.`;
	await trx('rollout')
		.where({ id: going.id })
		.update({ stopped_models: [...stopped], words });
	await trx('rollout_item')
		.where({ rollout_id: going.id, model_id: model, state: 'waiting' })
		.update({
			state: 'left out',
			words: `Stopped for this model: ${percent(failures, after)}.`,
			ended_at: trx.fn.now()
		});
	await entered(trx, going, 'rollout stopped for model', words);
	await toTell(trx, going.id, words);
}

const entered = (trx: Knex, { id, title, customerId }: Going, act: string, words: string) =>
	enterInLedger(trx, LIMEN, [
		{ act, customerId, subjectKind: 'rollout', subjectId: id, words: `Rollout “${title}”: ${words}` }
	]);

/** Whether it is over: nothing waits and nothing is under way. What was not come to in time is left out. */
async function ends(trx: Knex, going: Going & { readonly state: RolloutState }): Promise<boolean> {
	if (going.isPast)
		await trx('rollout_item')
			.where({ rollout_id: going.id, state: 'waiting' })
			.update({ state: 'left out', words: 'Its turn did not come in time.', ended_at: trx.fn.now() });
	const { rows } = await trx.raw(
		`select (count(*) filter (where state in ('waiting', 'under way')))::int as open, (count(*) filter (where state = 'done'))::int as done,
			(count(*) filter (where state = 'failed'))::int as failed, (count(*) filter (where state = 'left out'))::int as left
		from rollout_item where rollout_id = ?`,
		[going.id]
	);
	const { open, done, failed, left } = rows[0];
	if (open > 0) return false;
	const words = `Over: ${counted(done, 'unit')} done, ${failed} failed, ${left} left out.`;
	await trx('rollout')
		.where({ id: going.id })
		.update({
			state: 'ended',
			ended_at: trx.fn.now(),
			words: trx.raw(`case when words = '' then ? else words || ' ' || ? end`, [words, words])
		});
	await entered(trx, going, 'rollout ended', words);
	await toTell(trx, going.id, words);
	await notify(trx, 'rollouts', going.customerId, [going.id]);
	return true;
}

interface Waiting extends Claimed {
	readonly wave: number;
	readonly siteId: string;
	readonly customerId: string;
	readonly isFront: boolean;
	readonly takes: number;
	readonly isConnected: boolean;
	readonly isBusy: boolean;
}

/** In one turn no more are begun: what has ended meanwhile is looked at in between. */
const BEGUN_AT_ONCE = 20;

/** Claims as many units as may begin now. */
async function claim(trx: Knex, going: Going, now: number): Promise<readonly Claimed[]> {
	const { limits } = going.rules;
	const underWay: { unitId: string; siteId: string; customerId: string; isFront: boolean; wave: number }[] =
		await trx('rollout_item')
			.where({ rollout_id: going.id, state: 'under way' })
			.select(
				'unit_id as unitId',
				'site_id as siteId',
				'customer_id as customerId',
				'is_front as isFront',
				'wave'
			);
	let room = Math.min(BEGUN_AT_ONCE, limits.all - underWay.length);
	const { rows } = await trx.raw(
		`select item.unit_id as "unitId", item.wave, item.site_id as "siteId", item.customer_id as "customerId", item.is_front as "isFront", item.to_version as "to",
			item.version_id as "versionId", now_because as "nowBecause", (extract(epoch from takes) * 1000)::float8 as takes,
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isConnected",
			exists (select from rollout_item other where other.unit_id = item.unit_id and other.state = 'under way')
				or exists (select from flash where flash.unit_id = item.unit_id and flash.ended_at is null)
				or exists (select from send where send.unit_id = item.unit_id and send.ended_at is null) as "isBusy"
		from rollout_item item where item.rollout_id = ? and item.state = 'waiting' order by item.wave, item.is_front = ?, item.ordinal`,
		[going.id, !limits.frontsLast]
	);
	const waiting = rows as Waiting[];
	const able = waiting.filter(({ isConnected }) => isConnected);
	const windows = await windowsAt(
		trx,
		able.map(({ siteId }) => siteId)
	);
	/** By window and how long it takes, when that can begin: now, later, or never within days. */
	const spans = new Map<string, number | null>();
	const windowIds = new Map<object, number>();
	const canBegin = ({ siteId, takes }: Waiting): number | null => {
		const window = windows.get(siteId)!;
		if (!windowIds.has(window)) windowIds.set(window, windowIds.size);
		const key = `${windowIds.get(window)} ${takes}`;
		if (!spans.has(key))
			spans.set(key, spanFor(openSpans(window, now, now + 8 * DAY_MS), now, takes)?.from ?? null);
		return spans.get(key)!;
	};
	const wave = await waveInTurn(trx, going, able, underWay, canBegin);
	const apart = await keptApart(trx, going.id);
	const customers = countBy(underWay, ({ customerId }) => customerId);
	const sites = new Map<string, { count: number; front: boolean }>();
	for (const { siteId, isFront } of underWay) add(sites, siteId, isFront);
	const busy = new Set(underWay.map(({ unitId }) => unitId));
	const claimed: Waiting[] = [];
	/** Sites where a unit that comes first still waits its turn: those after it do so too. */
	const held = new Set<string>();
	for (const item of able) {
		const isNow = item.nowBecause !== null;
		if (!isNow && (room <= 0 || item.wave > wave || held.has(item.siteId))) continue;
		const site = sites.get(item.siteId) ?? { count: 0, front: false };
		const isKept = [...(apart.get(item.unitId) ?? [])].some((other) => busy.has(other));
		const fits = isNow || canBegin(item) === now;
		if (
			item.isBusy ||
			isKept ||
			!mayJoin(item, site, limits) ||
			!fits ||
			(customers.get(item.customerId) ?? 0) >= limits.perCustomer
		) {
			if (!isNow && item.isFront !== limits.frontsLast) held.add(item.siteId);
			continue;
		}
		claimed.push(item);
		room--;
		busy.add(item.unitId);
		customers.set(item.customerId, (customers.get(item.customerId) ?? 0) + 1);
		add(sites, item.siteId, item.isFront);
	}
	if (claimed.length > 0)
		await trx('rollout_item')
			.where({ rollout_id: going.id })
			.whereIn(
				'unit_id',
				claimed.map(({ unitId }) => unitId)
			)
			.update({ state: 'under way', begun_at: trx.raw('clock_timestamp()'), words: '' });
	return claimed;
}
const DAY_MS = 86_400_000;

function add(sites: Map<string, { count: number; front: boolean }>, siteId: string, isFront: boolean): void {
	const site = sites.get(siteId) ?? { count: 0, front: false };
	sites.set(siteId, { count: site.count + 1, front: site.front || isFront });
}
function countBy<One>(all: readonly One[], key: (one: One) => string): Map<string, number> {
	const counts = new Map<string, number>();
	for (const one of all) counts.set(key(one), (counts.get(key(one)) ?? 0) + 1);
	return counts;
}

/**
 * The last wave that may begin: the first with something to wait for, or all up to it once so many did well that it is
 * proved enough. Units that are away, or whose window does not come in days, hold nobody up; but nothing goes on before one
 * has ended at all.
 */
async function waveInTurn(
	trx: Knex,
	going: Going,
	able: readonly Waiting[],
	underWay: readonly { readonly wave: number }[],
	canBegin: (item: Waiting) => number | null
): Promise<number> {
	const open = [...underWay, ...able.filter((item) => canBegin(item) !== null)].map(({ wave }) => wave);
	const first = open.reduce((least, wave) => Math.min(least, wave), Infinity);
	if (first === Infinity) return -1;
	const ended: { wave: number; model: string; failed: boolean; signature: string }[] = await trx(
		'rollout_item'
	)
		.where({ rollout_id: going.id })
		.whereIn('state', ['done', 'failed'])
		.orderBy('ended_as')
		.select('wave', 'model_id as model', trx.raw(`state = 'failed' as failed`), 'signature');
	// Before anything has ended, the first wave that can be begun is the first
	if (ended.length === 0) return first;
	const said = verdict(ended, going.rules.stop, new Set(going.stoppedModels));
	const isProved = said.kind === 'go on' && said.proved;
	const waits = able.some(({ wave }) => wave === first);
	return isProved && !waits ? first + 1 : first;
}

/** Units at the two ends of one path, where both are in the rollout. */
async function keptApart(trx: Knex, id: string): Promise<ReadonlyMap<string, ReadonlySet<string>>> {
	const { rows } = await trx.raw(
		`select near.unit_id as one, far.unit_id as other from tunnel
		join rollout_item near on near.position_id = near_position and near.rollout_id = :id and near.state in ('waiting', 'under way')
		join rollout_item far on far.position_id = far_position and far.rollout_id = :id and far.state in ('waiting', 'under way')`,
		{ id }
	);
	const found = new Map<string, Set<string>>();
	for (const { one, other } of rows as { one: string; other: string }[])
		for (const [a, b] of [
			[one, other],
			[other, one]
		] as const)
			found.set(a, (found.get(a) ?? new Set<string>()).add(b));
	return found;
}
