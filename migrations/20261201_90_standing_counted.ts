import type { Knex } from 'knex';

/** Of a model it is known with the binding; units are looked at only for who called with a wrong code, and those are few. */
const NOW = {
	model: 'left join model on model.id = binding.model_id',
	held: 'left join unit_connection held on held.unit_id = binding.unit_id',
	wrong: `left join (caller wrong join unit called on called.serial = wrong.serial and wrong.reason = 'wrong-code')
		on called.id = binding.unit_id and wrong.last_at > run.begun_at`
};
const BEFORE = {
	model: 'left join unit on unit.id = binding.unit_id left join model on model.id = unit.model_id',
	held: 'left join unit_connection held on held.unit_id = unit.id',
	wrong:
		"left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at"
};

/** How each position stands, as core's `standingOf` says of its present run. A position without a unit is `open`. */
const positions = ({ model, held, wrong }: typeof NOW) => `
create or replace view position_standing with (security_invoker = true) as
	select position.id as position_id, position.site_id, position.customer_id, binding.unit_id, run.id as run_id,
		run.step, run.outcome, run.since, run.ended_at, coalesce(wrong.calls, 0)::integer as wrong_code,
		case
			when run.id is null or run.outcome = 'cancelled' then 'open'
			when run.outcome = 'failed' then 'stuck'
			when run.outcome = 'through' then case when quiet.since < now() - model.quiet_normal then 'not-heard' else 'online' end
			when run.step = 'bound' then case when wrong.calls is null then 'waiting' else 'stuck' end
			when limits.lacks is not null or now() > limits.stalled_at then 'stalled'
			when now() > limits.late_at then 'late'
			else 'moving'
		end as standing,
		-- since when an online unit has no connection, and how long that is normal
		case when run.outcome = 'through' then quiet.since end as quiet_since, model.quiet_normal,
		-- from when on its step counts as late, and as stalled; null where nothing is known yet
		limits.late_at, limits.stalled_at,
		-- what its step waits for and cannot come
		limits.lacks
	from position
	left join binding on binding.position_id = position.id
	left join run on run.id = binding.run_id
	${model}
	${held}
	left join lateral (
		select case when held.unit_id is null then run.ended_at else held.ended_at end as since
	) quiet on true
	left join step_group normal on normal.id = run.group_id and run.outcome = 'open'
	left join lateral (
		select run.since + make_interval(secs => normal.late) as late_at, run.since + make_interval(secs => normal.stalled) as stalled_at,
			case
				when run.outcome <> 'open' then null
				when run.step = 'firmware' and run.target_version is not null and not run.restart_expected and not exists (
					select from image where image.firmware_line = model.firmware_line and image.version = run.target_version) then 'image'
				when run.step = 'proof' and held.ended_at > run.since and held.ended_at < now() - model.quiet_normal then 'connection'
			end as lacks
	) limits on true
	${wrong}`;

/** Positions are counted by how they stand, so that this is worked out once for each of them. */
const COUNTED = `
	select site_id, sum(count)::int as positions, coalesce(sum(count) filter (where standing = 'online'), 0)::int as online,
		coalesce(sum(count) filter (where standing in ('stuck', 'stalled')), 0)::bigint as stuck,
		coalesce(sum(count) filter (where standing = 'not-heard'), 0)::bigint as silent,
		coalesce(sum(count) filter (where standing in ('moving', 'late')), 0)::bigint as moving,
		coalesce(sum(count) filter (where standing = 'waiting'), 0)::bigint as waiting
	from (select site_id, standing, count(*) as count from position_standing group by 1, 2) each group by site_id`;
const COUNTED_BEFORE = `
	select site_id, count(*)::int as positions, count(*) filter (where standing = 'online')::int as online,
		count(*) filter (where standing in ('stuck', 'stalled')) as stuck, count(*) filter (where standing = 'not-heard') as silent,
		count(*) filter (where standing in ('moving', 'late')) as moving, count(*) filter (where standing = 'waiting') as waiting
	from position_standing group by site_id`;

/** How each site stands, from its positions and its last proof; as core's `siteStanding`. */
const sites = (counts: string) => `
create or replace view site_standing with (security_invoker = true) as
	select site.id as site_id, site.customer_id, coalesce(counts.online, 0) as online, coalesce(counts.positions, 0) as positions,
		case
			when positions is null then 'empty'
			when online = positions then case proof_state when 'held' then 'online' when 'failed' then 'proof-failed' else 'unproven' end
			when stuck > 0 then 'stuck' when silent > 0 then 'not-heard'
			when moving > 0 or online > 0 then 'under way' when waiting > 0 then 'waiting' else 'open'
		end as word
	from site left join (${counts}) counts on counts.site_id = site.id`;

export const up = (knex: Knex): Promise<void> => knex.raw(`${positions(NOW)}; ${sites(COUNTED)}`);
export const down = (knex: Knex): Promise<void> => knex.raw(`${positions(BEFORE)}; ${sites(COUNTED_BEFORE)}`);
