import type { Knex } from 'knex';
import { ROWS_AT_ONCE } from '../../../core/list';
import {
	ITEM_STATES,
	type FailedAlike,
	type ItemState,
	type PlanInputs,
	type Rollout,
	type RolloutItem,
	type WaveCount
} from '../../../core/rollout';
import { database } from '../database';
import type { ListRows } from '../list';
import { MOST_UNITS } from './drafting/candidates';

const rollouts = (where: string) => `
	select rollout.id, title, kind, rollout.customer_id as "customerId", rules, rollout.state, rollout.words, stopped_models as "stoppedModels", actor,
		person_id as "personId", reason, back_of as "backOf", planned_at as "plannedAt", rollout.begun_at as "begunAt", until, rollout.ended_at as "endedAt",
		cohort.name as cohort, joins, counts.*
	from rollout left join cohort on cohort.id = rollout.cohort_id cross join lateral (
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

/** Which of a rollout's units are meant; all of them where nothing is said. */
export interface WhichItems {
	readonly state?: ItemState | null;
	readonly wave?: number | null;
	readonly unit?: string | null;
	readonly offset?: number;
	readonly limit?: number;
}
const WHICH = `item.rollout_id = :id and (:state::text is null or item.state = :state) and (:wave::int is null or item.wave = :wave::int)
	and (:unit::uuid is null or item.unit_id = :unit::uuid)`;
const ASKED = { state: null, wave: null, unit: null };

/** The units of a rollout, wave by wave: what goes wrong first, then what is under way, what waits, what is over. */
export async function itemsOfRollout(id: string, which: WhichItems = {}): Promise<RolloutItem[]> {
	const { rows } = await database().raw(
		`select item.unit_id as "unitId", serial, site.id as "siteId", site.name as "siteName", position.name as "positionName", customer.name as customer,
			model.name as model, item.wave, item.had as "from", item.gets as "to", item.state, item.words, item.signature, now_because is not null as "isNow",
			(extract(epoch from takes) * 1000)::float8 as takes, (extract(epoch from item.begun_at) * 1000)::float8 as "begunAt",
			(extract(epoch from item.ended_at) * 1000)::float8 as "endedAt",
			flash.state as "flashState", flash.percent, send.state as "sendState", rotation.state as "rotationState",
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isConnected",
			item.state = 'waiting' and (exists (select from rollout_item other where other.unit_id = item.unit_id and other.state = 'under way')
				or exists (select from flash f where f.unit_id = item.unit_id and f.ended_at is null)
				or exists (select from send s where s.unit_id = item.unit_id and s.ended_at is null)) as "isBusy"
		from (
			select item.*, row_number() over (
				order by array_position(array['failed', 'under way', 'waiting', 'done', 'left out'], state), wave, ended_at desc nulls last, ordinal
			) as place from rollout_item item where ${WHICH} order by place offset :offset limit :limit
		) item join any_unit unit on unit.id = item.unit_id join site on site.id = item.site_id join position on position.id = item.position_id
		join customer on customer.id = item.customer_id join model on model.id = item.model_id
		left join flash on flash.id = item.flash_id and flash.ended_at is null left join send on send.id = item.send_id and send.ended_at is null
		left join rotation on rotation.id = item.rotation_id and rotation.ended_at is null order by place`,
		{ id, ...ASKED, offset: 0, limit: MOST_UNITS, ...which }
	);
	return rows;
}

/** Those of them that are in sight, of how many. */
export async function rolloutWindow(
	id: string,
	which: Pick<WhichItems, 'state' | 'wave'>,
	offset: number
): Promise<ListRows<RolloutItem>> {
	const [rows, counted] = await Promise.all([
		itemsOfRollout(id, { ...which, offset, limit: ROWS_AT_ONCE }),
		database().raw(`select count(*)::int as total from rollout_item item where ${WHICH}`, {
			id,
			...ASKED,
			...which
		})
	]);
	return { total: counted.rows[0].total, offset, rows };
}

/** Which units the address of a rollout's page asks for. */
export function whichIn(url: URL): Pick<WhichItems, 'state' | 'wave'> {
	const given = url.searchParams.get('state');
	const wave = /^\d{1,2}$/.exec(url.searchParams.get('wave') ?? '')?.[0];
	return { state: ITEM_STATES.find((one) => one === given) ?? null, wave: wave ? Number(wave) : null };
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

/** The units at the other ends of tunnels whose secrets are renewed: by the rollout's own unit, and where they are. */
export async function changedAlong(knex: Knex, id: string): Promise<PlanInputs['together'][number][]> {
	const { rows } = await knex.raw(
		`select distinct item.unit_id as "unitId", binding.unit_id as other, position.site_id as "siteId"
		from rollout_secret item join secret on secret.id = item.secret_id join tunnel on tunnel.id = secret.tunnel_id
		join rollout_item own on own.rollout_id = item.rollout_id and own.unit_id = item.unit_id
		join position on position.id in (near_position, far_position) and position.id <> own.position_id
		join binding on binding.position_id = position.id
		where item.rollout_id = ? and own.state in ('waiting', 'under way')`,
		[id]
	);
	return rows;
}
