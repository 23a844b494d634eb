import type { Knex } from 'knex';
import { interrupts, type PlanInputs, type RolloutAhead, type RolloutKind } from '../../../../core/rollout';
import { openSpans, type Span } from '../../../../core/windows';
import { database } from '../../database';
import { windowsAt } from '../../windows';
import { changedAlong } from '../store';

async function renewedBy(knex: Knex, id: string): Promise<RolloutAhead['renews']> {
	const { rows } = await knex.raw(
		`select coalesce(tunnel.name, secret.field) as name, tunnel.id is not null as "isTunnel", count(*)::int as units
		from rollout_secret item join secret on secret.id = item.secret_id left join tunnel on tunnel.id = secret.tunnel_id
		where item.rollout_id = ? group by secret.id, tunnel.id order by tunnel.id is null, name`,
		[id]
	);
	return rows;
}

/** So far ahead windows are looked at. */
const AHEAD_MS = 28 * 86_400_000;

/** When the windows of these sites are open from now on, and which is whose. */
async function windowsAhead(knex: Knex, siteIds: readonly string[], now: number) {
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
	return { windows, windowOf, asksFirst };
}

/** What the plan of a rollout is computed from, with what somebody has to know before it begins. `now` in ms. */
export async function rolloutAhead(id: string, now: number, knex: Knex = database()): Promise<RolloutAhead> {
	const { rows } = await knex.raw(
		`select item.unit_id as id, item.site_id as "siteId", item.customer_id as "customerId", item.model_id as model, model.name as "modelName", item.had as version,
			site.uplink, item.is_front as "isFront", (extract(epoch from takes) * 1000)::float8 as takes, item.gets as "to", model.versions,
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
	const together = await changedAlong(knex, id);
	const siteIds = [...new Set(items.map(({ siteId }) => siteId))];
	const { kind } = (await knex('rollout').where({ id }).first('kind')) as { kind: RolloutKind };
	const { windows, windowOf, asksFirst } = interrupts(kind)
		? await windowsAhead(knex, [...new Set([...siteIds, ...together.map(({ siteId }) => siteId)])], now)
		: {
				windows: [[{ from: now, until: now + AHEAD_MS }]],
				windowOf: Object.fromEntries(siteIds.map((siteId) => [siteId, 0])),
				asksFirst: 0
			};
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
					isAble: (isAble || !interrupts(kind)) && (windows[windowOf[siteId]!]?.length ?? 0) > 0,
					isFront,
					takes
				})
			),
			windowOf,
			windows,
			apart: apart.rows.map(({ one, other }) => [one, other] as const),
			together
		},
		asksFirst,
		away: interrupts(kind) ? items.filter(({ isAble }) => !isAble).length : 0,
		drifted: items.filter(({ hasDrifted }) => hasDrifted).length,
		back,
		renews: await renewedBy(knex, id),
		sites: siteIds.length,
		customers: new Set(items.map(({ customerId }) => customerId)).size,
		changes: [...changes.values()].sort((a, b) => b.units - a.units)
	};
}
