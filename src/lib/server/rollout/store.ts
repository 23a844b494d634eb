import type { Knex } from 'knex';
import type {
	FailedAlike,
	ItemState,
	PlanInputs,
	Rollout,
	RolloutAhead,
	RolloutItem,
	WaveCount
} from '../../../core/rollout';
import { openSpans, type Span } from '../../../core/windows';
import { database } from '../database';
import { windowsAt } from '../windows';

const rollouts = (where: string) => `
	select rollout.id, title, kind, rollout.customer_id as "customerId", rules, rollout.state, rollout.words, stopped_models as "stoppedModels", actor,
		person_id as "personId", reason, back_of as "backOf", planned_at as "plannedAt", rollout.begun_at as "begunAt", until, rollout.ended_at as "endedAt", counts.*
	from rollout cross join lateral (
		select count(*)::int as total, (count(*) filter (where item.state = 'done'))::int as done, (count(*) filter (where item.state = 'failed'))::int as failed,
			(count(*) filter (where item.state = 'left out'))::int as "leftOut", (count(*) filter (where item.state = 'under way'))::int as "underWay"
		from rollout_item item where item.rollout_id = rollout.id
	) counts ${where}`;

export async function rolloutById(id: string): Promise<Rollout | undefined> {
	const { rows } = await database().raw(rollouts('where rollout.id = ?'), [id]);
	return rows[0];
}
const MOST_SHOWN = 100;
/** Those under way first, then the latest. */
export async function allRollouts(customers: readonly string[] | null): Promise<Rollout[]> {
	const { rows } = await database().raw(
		`${rollouts(`where :customers::uuid[] is null or exists (select from rollout_item item where item.rollout_id = rollout.id and item.customer_id = any (:customers::uuid[]))`)}
		order by rollout.state in ('under way', 'stopped', 'paused') desc, planned_at desc limit ${MOST_SHOWN}`,
		{ customers: customers && [...customers] }
	);
	return rows;
}

/** Rollouts that were stopped because too many failed: somebody has to decide. */
export async function stoppedRollouts(customers: readonly string[] | null): Promise<Rollout[]> {
	return (await allRollouts(customers)).filter(({ state }) => state === 'stopped');
}

/** So many units a page shows. */
export const ITEMS_AT_ONCE = 400;

/** The units of a rollout, wave by wave: what goes wrong first, then what is under way, what waits, what is over. */
export async function itemsOfRollout(
	id: string,
	{
		state = null,
		wave = null,
		limit = ITEMS_AT_ONCE
	}: { readonly state?: ItemState | null; readonly wave?: number | null; readonly limit?: number } = {}
): Promise<RolloutItem[]> {
	const { rows } = await database().raw(
		`select item.unit_id as "unitId", serial, site.id as "siteId", site.name as "siteName", position.name as "positionName", customer.name as customer,
			model.name as model, item.wave, item.from_version as "from", item.to_version as "to", item.state, item.words, item.signature, now_because is not null as "isNow",
			(extract(epoch from takes) * 1000)::float8 as takes, item.begun_at as "begunAt", item.ended_at as "endedAt",
			flash.state as "flashState", flash.percent, send.state as "sendState",
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isConnected",
			item.state = 'waiting' and (exists (select from rollout_item other where other.unit_id = item.unit_id and other.state = 'under way')
				or exists (select from flash f where f.unit_id = item.unit_id and f.ended_at is null)
				or exists (select from send s where s.unit_id = item.unit_id and s.ended_at is null)) as "isBusy"
		from rollout_item item join unit on unit.id = item.unit_id join site on site.id = item.site_id join position on position.id = item.position_id
		join customer on customer.id = item.customer_id join model on model.id = item.model_id
		left join flash on flash.id = item.flash_id and flash.ended_at is null left join send on send.id = item.send_id and send.ended_at is null
		where item.rollout_id = :id and (:state::text is null or item.state = :state) and (:wave::int is null or item.wave = :wave::int)
		order by array_position(array['failed', 'under way', 'waiting', 'done', 'left out'], item.state), item.wave, item.ended_at desc nulls last, item.ordinal
		limit :limit`,
		{ id, state, wave, limit }
	);
	return rows;
}

export async function wavesOfRollout(id: string): Promise<WaveCount[]> {
	const { rows } = await database().raw(
		`select wave, count(*)::int as total, (count(*) filter (where state = 'done'))::int as done, (count(*) filter (where state = 'failed'))::int as failed,
			(count(*) filter (where state = 'left out'))::int as "leftOut", (count(*) filter (where state = 'under way'))::int as "underWay",
			min(begun_at) as "begunAt", case when bool_and(ended_at is not null) then max(ended_at) end as "endedAt"
		from rollout_item where rollout_id = ? and wave is not null group by wave order by wave`,
		[id]
	);
	return rows;
}

export async function failedAlike(id: string): Promise<FailedAlike[]> {
	const { rows } = await database().raw(
		`select model.name as model, min(item.words) as words, count(*)::int as units from rollout_item item join model on model.id = item.model_id
		where rollout_id = ? and state = 'failed' group by model.name, signature order by count(*) desc, model.name limit 20`,
		[id]
	);
	return rows;
}

/** So far ahead windows are looked at. */
const AHEAD_MS = 28 * 86_400_000;

export async function rolloutAhead(id: string, now: number, knex: Knex = database()): Promise<RolloutAhead> {
	const { rows } = await knex.raw(
		`select item.unit_id as id, item.site_id as "siteId", item.customer_id as "customerId", item.model_id as model, model.name as "modelName", item.from_version as version,
			site.uplink, item.is_front as "isFront", (extract(epoch from takes) * 1000)::float8 as takes, item.to_version as "to", model.versions,
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isAble",
			coalesce((select state = 'differs' from unit_drift drift where drift.unit_id = item.unit_id), false) as "hasDrifted"
		from rollout_item item join site on site.id = item.site_id join model on model.id = item.model_id
		where item.rollout_id = ? order by item.ordinal`,
		[id]
	);
	const items = rows as (PlanInputs['items'][number] & {
		modelName: string;
		to: string | null;
		versions: readonly { readonly version: string }[];
		hasDrifted: boolean;
	})[];
	const siteIds = [...new Set(items.map(({ siteId }) => siteId))];
	const byWindow = new Map<object, number>();
	const windows: Span[][] = [];
	const windowOf: Record<string, number> = {};
	let asksFirst = 0;
	for (const [siteId, window] of await windowsAt(knex, siteIds)) {
		let at = byWindow.get(window);
		if (at === undefined) {
			at = windows.push(openSpans(window, now, now + AHEAD_MS)) - 1;
			byWindow.set(window, at);
		}
		windowOf[siteId] = at;
		if (window.asksFirst) asksFirst++;
	}
	const apart: { rows: { one: string; other: string }[] } = await knex.raw(
		`select near.unit_id as one, far.unit_id as other from tunnel join rollout_item near on near.position_id = near_position and near.rollout_id = :id
		join rollout_item far on far.position_id = far_position and far.rollout_id = :id`,
		{ id }
	);
	const changes = new Map<string, { model: string; from: string; to: string | null; units: number }>();
	const rank = (versions: readonly { readonly version: string }[], version: string | null) =>
		versions.findIndex((one) => one.version === version);
	let back = 0;
	for (const { modelName, version, to, versions } of items) {
		const key = JSON.stringify([modelName, version, to]);
		const change = changes.get(key) ?? { model: modelName, from: version, to, units: 0 };
		change.units++;
		changes.set(key, change);
		if (to !== null && rank(versions, to) >= 0 && rank(versions, to) < rank(versions, version)) back++;
	}
	return {
		inputs: {
			items: items.map(
				({ id: unit, siteId, customerId, model, version, uplink, isAble, isFront, takes }) => ({
					id: unit,
					siteId,
					customerId,
					model,
					version,
					uplink,
					isAble: isAble && (windows[windowOf[siteId]!]?.length ?? 0) > 0,
					isFront,
					takes
				})
			),
			windowOf,
			windows,
			apart: apart.rows.map(({ one, other }) => [one, other] as const)
		},
		asksFirst,
		away: items.filter(({ isAble }) => !isAble).length,
		drifted: items.filter(({ hasDrifted }) => hasDrifted).length,
		back,
		sites: siteIds.length,
		customers: new Set(items.map(({ customerId }) => customerId)).size,
		changes: [...changes.values()].sort((a, b) => b.units - a.units)
	};
}
