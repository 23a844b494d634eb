import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * How long steps take: each step that a run has left, and what is normal for steps like it. Steps are alike when they are
 * the same, of the same model, over the same kind of uplink, and, where firmware is changed, between the same versions by
 * an image of about the same size.
 */
const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};
/** As core's USUAL_SECONDS; a pack says its own. */
const USUAL = { calling: 60, identity: 60, firmware: 600, configuration: 120, proof: 120 };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table model add column usual jsonb not null default '${JSON.stringify(USUAL)}' check (jsonb_typeof(usual) = 'object');
alter table model alter column usual drop default;

create table step_group (
	id bigint generated always as identity primary key,
	step text not null references run_step,
	model_id text not null references model on delete cascade,
	uplink text not null,
	from_version text not null default '',
	to_version text not null default '',
	-- the base-2 logarithm of the image's octets, rounded; 0 where no firmware is changed
	image_size smallint not null default 0,
	-- what is normal, in seconds; null until it was learnt
	median real, late real, stalled real,
	-- of the curve, the log-normal that continues it, and how many runs stand behind it
	learnt jsonb,
	learnt_at timestamptz,
	-- the last of its steps that it was learnt from
	learnt_until bigint not null default 0,
	unique (step, model_id, uplink, from_version, to_version, image_size),
	check ((learnt_at is null) = (learnt is null) and (learnt is null) = (median is null)
		and (median is null) = (late is null) and (late is null) = (stalled is null)),
	check (0 <= median and median <= late and late <= stalled)
);
create index on step_group (model_id, step);

create table step_time (
	id bigint generated always as identity primary key,
	group_id bigint not null references step_group on delete cascade,
	-- null: of a run that was brought in with what was known before Limen
	run_id uuid,
	customer_id uuid not null references customer,
	began_at timestamptz not null,
	seconds real not null check (seconds >= 0),
	-- false: it was broken off, failed or cancelled after so long
	has_ended boolean not null,
	foreign key (run_id, customer_id) references run (id, customer_id) on delete cascade
);
create index on step_time (group_id, id);
create index on step_time (run_id);
create index on step_time using brin (began_at);

-- the group of a unit's step at a position; made when it is the first of its kind
create function step_group_of(a_step text, a_unit uuid, a_position uuid, a_target text) returns bigint
language plpgsql security definer set search_path = public, pg_temp as $$
declare
	key record;
	found bigint;
begin
	select unit.model_id, site.uplink, coalesce(unit.reported_version, '') as from_version, coalesce(a_target, '') as to_version,
		coalesce((select round(log(2, bytes))::smallint from image where firmware_line = model.firmware_line and version = a_target), 0::smallint) as image_size
		into key
	from unit join model on model.id = unit.model_id join position on position.id = a_position join site on site.id = position.site_id
	where unit.id = a_unit;
	if a_step <> 'firmware' then
		key.from_version := '';
		key.to_version := '';
		key.image_size := 0;
	end if;
	select id into found from step_group where step = a_step and model_id = key.model_id and uplink = key.uplink
		and from_version = key.from_version and to_version = key.to_version and image_size = key.image_size;
	if found is not null then return found; end if;
	insert into step_group (step, model_id, uplink, from_version, to_version, image_size)
		values (a_step, key.model_id, key.uplink, key.from_version, key.to_version, key.image_size)
		on conflict (step, model_id, uplink, from_version, to_version, image_size) do update set step = excluded.step
		returning id into found;
	return found;
end $$;
revoke execute on function step_group_of from public;
grant execute on function step_group_of to limen_people, limen_bootstrap, limen_setup;

-- the group of the step it is at, and when its unit was first heard
alter table run add column group_id bigint references step_group on delete set null, add column called_at timestamptz;
create index on run (group_id) where outcome = 'open';
create index run_open on run (step) where outcome = 'open';

grant select on step_group to limen_people, limen_bootstrap, limen_setup;
grant update (median, late, stalled, learnt, learnt_at, learnt_until), insert on step_group to limen_bootstrap, limen_setup;

${POSITION_STANDING}
${SITE_STANDING}
grant select on position_standing, site_standing to limen_people, limen_bootstrap, limen_setup;
drop table step_duration;

drop function limen_site_progress(bytea);
create function limen_site_progress(hash bytea)
returns table (site_id uuid, site text, zone text, customer text, position_name text, role text, step text, standing text)
language sql stable security definer set search_path = public, pg_temp as $$
	select site.id, site.name, site.time_zone, customer.name, position.name, role.name, stands.step, stands.standing
	from site_link join site on site.id = site_link.site_id join customer on customer.id = site.customer_id
	left join position on position.site_id = site.id left join role on role.id = position.role_id
	left join position_standing stands on stands.position_id = position.id
	where token_hash = hash and site_link.ended_at is null and ends_at > now()
	order by role.id = 'access-point', position.name
$$;
revoke execute on function limen_site_progress from public;
grant execute on function limen_site_progress to limen_people, limen_setup;
`);
	await wall(knex, {
		table: 'step_time',
		people: ['insert'],
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
}

/** How each position stands, as core's \`standingOf\` says of its present run. A position without a unit is \`open\`. */
const POSITION_STANDING = `
drop view site_standing;
drop view position_standing;
create view position_standing with (security_invoker = true) as
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
	left join unit on unit.id = binding.unit_id
	left join model on model.id = unit.model_id
	left join unit_connection held on held.unit_id = unit.id
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
	left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at;
`;

/** How each site stands, from its positions and its last proof; as core's \`siteStanding\`. */
const SITE_STANDING = `
create view site_standing with (security_invoker = true) as
	select site.id as site_id, site.customer_id, coalesce(counts.online, 0) as online, coalesce(counts.positions, 0) as positions,
		case
			when positions is null then 'empty'
			when online = positions then case proof_state when 'held' then 'online' when 'failed' then 'proof-failed' else 'unproven' end
			when stuck > 0 then 'stuck' when silent > 0 then 'not-heard'
			when moving > 0 or online > 0 then 'under way' when waiting > 0 then 'waiting' else 'open'
		end as word
	from site left join (
		select site_id, count(*)::int as positions, count(*) filter (where standing = 'online')::int as online,
			count(*) filter (where standing in ('stuck', 'stalled')) as stuck, count(*) filter (where standing = 'not-heard') as silent,
			count(*) filter (where standing in ('moving', 'late')) as moving, count(*) filter (where standing = 'waiting') as waiting
		from position_standing group by site_id
	) counts on counts.site_id = site.id;
`;

/** The views before hang on constants that are not kept any more: who goes back brings back a backup. */
export function down(): Promise<void> {
	return Promise.reject(new Error('Bring back a backup from before this migration.'));
}
