import type { Knex } from 'knex';
import type {
	FailedAlike,
	ItemState,
	PlanInputs,
	Rollout,
	RolloutItem,
	WaveCount
} from '../../../core/rollout';
import { database } from '../database';

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
			model.name as model, item.wave, item.had as "from", item.gets as "to", item.state, item.words, item.signature, now_because is not null as "isNow",
			(extract(epoch from takes) * 1000)::float8 as takes, item.begun_at as "begunAt", item.ended_at as "endedAt",
			flash.state as "flashState", flash.percent, send.state as "sendState", rotation.state as "rotationState",
			exists (select from unit_connection c where c.unit_id = item.unit_id and c.ended_at is null) as "isConnected",
			item.state = 'waiting' and (exists (select from rollout_item other where other.unit_id = item.unit_id and other.state = 'under way')
				or exists (select from flash f where f.unit_id = item.unit_id and f.ended_at is null)
				or exists (select from send s where s.unit_id = item.unit_id and s.ended_at is null)) as "isBusy"
		from rollout_item item join any_unit unit on unit.id = item.unit_id join site on site.id = item.site_id join position on position.id = item.position_id
		join customer on customer.id = item.customer_id join model on model.id = item.model_id
		left join flash on flash.id = item.flash_id and flash.ended_at is null left join send on send.id = item.send_id and send.ended_at is null
		left join rotation on rotation.id = item.rotation_id and rotation.ended_at is null
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
