import type { Knex } from 'knex';
import { commonSpans, interrupts, mayJoin, spanFor, verdict } from '../../../../core/rollout';
import { openSpans } from '../../../../core/windows';
import { windowsAt } from '../../windows';
import type { Going } from './going';
import type { Claimed } from './item';
import { changedAlong } from '../store';

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
export async function claim(trx: Knex, going: Going, now: number): Promise<readonly Claimed[]> {
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
		`select item.unit_id as "unitId", item.wave, item.site_id as "siteId", item.customer_id as "customerId", item.is_front as "isFront", item.gets,
			item.version_id as "versionId", now_because as "nowBecause", (extract(epoch from takes) * 1000)::float8 as takes,
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isConnected",
			exists (select from rollout_item other where other.unit_id = item.unit_id and other.state = 'under way')
				or exists (select from flash where flash.unit_id = item.unit_id and flash.ended_at is null)
				or exists (select from send where send.unit_id = item.unit_id and send.ended_at is null) as "isBusy"
		from rollout_item item where item.rollout_id = ? and item.state = 'waiting' order by item.wave, item.is_front = ?, item.ordinal`,
		[going.id, !limits.frontsLast]
	);
	const isApart = !interrupts(going.kind);
	const along = await changedAlong(trx, going.id);
	const others = new Map<string, typeof along>();
	for (const one of along) others.set(one.unitId, [...(others.get(one.unitId) ?? []), one]);
	const unable = await notFree(trx, [...new Set(along.map(({ other }) => other))]);
	const othersOf = ({ unitId }: { readonly unitId: string }) => others.get(unitId) ?? [];
	const waiting = rows as Waiting[];
	const able = waiting.filter(
		(item) => (isApart || item.isConnected) && othersOf(item).every(({ other }) => !unable.has(other))
	);
	const windows = await windowsAt(
		trx,
		able.flatMap((item) => [item.siteId, ...othersOf(item).map(({ siteId }) => siteId)])
	);
	/** By window and how long it takes, when that can begin: now, later, or never within days. */
	const spans = new Map<string, number | null>();
	const windowIds = new Map<object, number>();
	const canBegin = (item: Waiting): number | null => {
		if (isApart) return now;
		const own = [item.siteId, ...othersOf(item).map(({ siteId }) => siteId)].map((id) => windows.get(id)!);
		for (const window of own) if (!windowIds.has(window)) windowIds.set(window, windowIds.size);
		const key = `${own.map((window) => windowIds.get(window)).join(',')} ${item.takes}`;
		if (!spans.has(key)) {
			const open = own.map((window) => openSpans(window, now, now + 8 * DAY_MS));
			spans.set(key, spanFor(open.reduce(commonSpans), now, item.takes)?.from ?? null);
		}
		return spans.get(key)!;
	};
	const wave = await waveInTurn(trx, going, able, underWay, canBegin);
	const apart = await keptApart(trx, going.id);
	const customers = countBy(underWay, ({ customerId }) => customerId);
	const sites = new Map<string, { count: number; front: boolean }>();
	for (const { siteId, isFront } of underWay) add(sites, siteId, isFront);
	const withOthers = (item: { readonly unitId: string }) => [
		item.unitId,
		...othersOf(item).map(({ other }) => other)
	];
	const busy = new Set(underWay.flatMap(withOthers));
	const claimed: Waiting[] = [];
	/** Sites where a unit that comes first still waits its turn: those after it do so too. */
	const held = new Set<string>();
	for (const item of able) {
		const isNow = item.nowBecause !== null;
		if (!isNow && (room <= 0 || item.wave > wave || held.has(item.siteId))) continue;
		const site = sites.get(item.siteId) ?? { count: 0, front: false };
		const isKept = [...withOthers(item), ...(apart.get(item.unitId) ?? [])].some((other) => busy.has(other));
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
		for (const id of withOthers(item)) busy.add(id);
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

/** Which of these units are away, or have something else done at them. */
async function notFree(trx: Knex, unitIds: readonly string[]): Promise<ReadonlySet<string>> {
	if (unitIds.length === 0) return new Set();
	const { rows } = await trx.raw(
		`select id from unit where id = any (?::uuid[]) and (
			not exists (select from unit_connection c where c.unit_id = unit.id and c.ended_at is null)
			or exists (select from rollout_item i where i.unit_id = unit.id and i.state = 'under way')
			or exists (select from flash f where f.unit_id = unit.id and f.ended_at is null)
			or exists (select from send s where s.unit_id = unit.id and s.ended_at is null))`,
		[[...unitIds]]
	);
	return new Set((rows as { id: string }[]).map(({ id }) => id));
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
