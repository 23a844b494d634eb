import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * Who holds which unit, and what is wanted of it. The states and moves of errands are those of core's
 * ERRAND_MOVES.
 */
const MOVES = [
	['waiting', 'under way'],
	['waiting', 'cancelled'],
	['waiting', 'expired'],
	['under way', 'done'],
	['under way', 'failed'],
	['under way', 'uncertain'],
	['under way', 'waiting'],
	['under way', 'cancelled']
];
const EVERYTHING = 'select, insert, update, delete';
const SYSTEM = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- a process of the application; one whose heart has stopped is ended by any other
create table process (
	id uuid primary key,
	name text not null check (length(name) <= 200),
	started_at timestamptz not null default now(),
	heartbeat_at timestamptz not null default now(),
	ended_at timestamptz
);
create index on process (heartbeat_at) where ended_at is null;

-- a unit that has been online and is heard from no more for longer than this is not heard
alter table model add column quiet_normal interval not null default '90 seconds' check (quiet_normal > '0');

-- the last connection of each unit; open while it has not ended
create table unit_connection (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	process_id uuid not null references process,
	-- this one connection: what another did or says of an earlier one counts no more
	session uuid not null unique,
	way text not null check (way in ('home over SSH', 'home over NETCONF', 'out')),
	address inet,
	since timestamptz not null default now(),
	round_trip_ms integer check (round_trip_ms >= 0),
	ended_at timestamptz,
	why_ended text check (length(why_ended) <= 500),
	-- the loss has lasted so long that it was told
	told boolean not null default false
);
create index on unit_connection (process_id) where ended_at is null;
create index on unit_connection (ended_at) where ended_at is not null and not told;

-- why it could not be talked to when it last dialled; gone as soon as it could
alter table unit add column reach_problem text check (length(reach_problem) <= 500), add column reach_problem_at timestamptz,
	add check ((reach_problem is null) = (reach_problem_at is null));
create index on unit (reach_problem_at) where reach_problem is not null;
grant update (reach_problem, reach_problem_at) on unit to limen_bootstrap;

create table errand_move (from_state text, to_state text, primary key (from_state, to_state));
insert into errand_move values ${MOVES.map(([from, to]) => `('${from}', '${to}')`).join(', ')};

create table errand (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	kind text not null check (kind ~ '^[a-z][a-z -]{1,39}$'),
	-- sealed: it can hold secrets
	input text,
	priority smallint not null default 0,
	state text not null default 'waiting'
		check (state in ('waiting', 'under way', 'done', 'failed', 'cancelled', 'expired', 'uncertain')),
	asked_by uuid,
	asked_at timestamptz not null default now(),
	deadline timestamptz not null,
	attempts integer not null default 0,
	session uuid,
	begun_at timestamptz,
	ended_at timestamptz,
	words text not null default '' check (length(words) <= 20000),
	check ((state in ('waiting', 'under way')) = (ended_at is null)),
	check ((state = 'under way') <= (session is not null))
);
create unique index one_errand_at_a_time on errand (unit_id) where state = 'under way';
create index errand_waiting on errand (unit_id, priority desc, id) where state = 'waiting';
create index errand_of_unit on errand (unit_id, id desc);
create index errand_ended on errand (ended_at) where ended_at is not null;

create function check_errand_move() returns trigger language plpgsql as $$
begin
	if not exists (select from errand_move where from_state = old.state and to_state = new.state) then
		raise exception 'an errand does not move from % to %', old.state, new.state using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger errand_moves_as_core_says before update of state on errand
	for each row when (old.state is distinct from new.state) execute function check_errand_move();

-- what an errand brought back; sealed, since a configuration holds secrets. Unit and customer are the errand's
create table reading (
	id uuid primary key,
	unit_id uuid not null,
	customer_id uuid not null,
	errand_id uuid not null references errand on delete cascade,
	kind text not null check (kind ~ '^[a-z]{1,20}$'),
	at timestamptz not null default now(),
	content text not null,
	bytes integer not null check (bytes >= 0)
);
create index on reading (unit_id, kind, at desc);
create index on reading (errand_id);
create index on reading (at);

-- what was said to a unit and what it answered, secrets masked
create table dialogue (
	id bigint generated always as identity primary key,
	unit_id uuid not null,
	customer_id uuid not null,
	errand_id uuid not null references errand on delete cascade,
	session uuid,
	at timestamptz not null,
	speaker text not null check (speaker in ('limen', 'unit', 'note')),
	words text not null,
	-- what was said is kept there, whole
	reading_id uuid,
	bytes integer not null check (bytes >= 0)
);
create index on dialogue (unit_id, id desc);
create index on dialogue (errand_id);
create index on dialogue (at);

alter table run_event drop constraint run_event_kind_check,
	add check (kind in ('call', 'report', 'call-home', 'proof', 'withheld', 'cancel', 'lost', 'back'));

create or replace view position_standing with (security_invoker = true) as
	select position.id as position_id, position.site_id, position.customer_id, binding.unit_id, run.id as run_id,
		run.step, run.outcome, run.since, run.ended_at, coalesce(wrong.calls, 0)::integer as wrong_code,
		case
			when run.id is null or run.outcome = 'cancelled' then 'open'
			when run.outcome = 'failed' then 'stuck'
			when run.outcome = 'through' then case when quiet.since < now() - model.quiet_normal then 'not-heard' else 'online' end
			when run.step = 'bound' then case when wrong.calls is null then 'waiting' else 'stuck' end
			when now() - run.since > step_duration.normal then 'slow'
			else 'moving'
		end as standing,
		-- since when an online unit has no connection, and how long that is normal
		case when run.outcome = 'through' then quiet.since end as quiet_since, model.quiet_normal
	from position
	left join binding on binding.position_id = position.id
	left join run on run.id = binding.run_id
	left join unit on unit.id = binding.unit_id
	left join model on model.id = unit.model_id
	left join unit_connection held on held.unit_id = unit.id
	left join lateral (
		select case when held.unit_id is null then run.ended_at else held.ended_at end as since
	) quiet on true
	left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at
	left join step_duration on step_duration.step = run.step;

grant ${EVERYTHING} on process to limen_bootstrap, limen_setup;
grant select on process to limen_people;
grant select on errand_move to limen_people, limen_bootstrap, limen_setup;
`);
	await wall(knex, { table: 'unit_connection', system: SYSTEM });
	// People ask for errands and take them back
	await wall(knex, { table: 'errand', people: ['insert', 'update'], system: SYSTEM });
	await wall(knex, { table: 'reading', system: SYSTEM });
	await wall(knex, { table: 'dialogue', system: SYSTEM });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop view position_standing;
create view position_standing with (security_invoker = true) as
	select position.id as position_id, position.site_id, position.customer_id, binding.unit_id, run.id as run_id,
		run.step, run.outcome, run.since, run.ended_at, coalesce(wrong.calls, 0)::integer as wrong_code,
		case
			when run.id is null or run.outcome = 'cancelled' then 'open'
			when run.outcome = 'failed' then 'stuck'
			when run.outcome = 'through' then 'online'
			when run.step = 'bound' then case when wrong.calls is null then 'waiting' else 'stuck' end
			when now() - run.since > step_duration.normal then 'slow'
			else 'moving'
		end as standing
	from position
	left join binding on binding.position_id = position.id
	left join run on run.id = binding.run_id
	left join unit on unit.id = binding.unit_id
	left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at
	left join step_duration on step_duration.step = run.step;
grant select on position_standing to limen_people, limen_bootstrap, limen_setup;
delete from run_event where kind in ('lost', 'back');
alter table run_event drop constraint run_event_kind_check,
	add check (kind in ('call', 'report', 'call-home', 'proof', 'withheld', 'cancel'));
drop table dialogue, reading, errand, errand_move, unit_connection, process;
drop function check_errand_move;
alter table unit drop column reach_problem, drop column reach_problem_at;
alter table model drop column quiet_normal`);
}
