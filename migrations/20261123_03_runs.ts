import type { Knex } from 'knex';

/** Firmware images, bindings, runs with their steps and events. The moves are those of core's STEP_MOVES. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table image (
	id uuid primary key,
	firmware_line text not null check (firmware_line <> ''),
	version text not null check (version ~ '^[0-9A-Za-z.+_-]{1,64}$'),
	file_name text not null,
	bytes bigint not null check (bytes > 0),
	sha256 bytea not null check (length(sha256) = 32),
	uploaded_at timestamptz not null default now(),
	unique (firmware_line, version)
);

create table run_step (id text primary key, rank integer not null unique);
insert into run_step (id, rank) values
	('bound', 1), ('calling', 2), ('identity', 3), ('firmware', 4), ('configuration', 5), ('proof', 6), ('online', 7);

create table step_move (
	from_step text not null references run_step,
	to_step text not null references run_step,
	primary key (from_step, to_step)
);
insert into step_move (from_step, to_step) values
	('bound', 'calling'), ('bound', 'identity'), ('bound', 'proof'),
	('calling', 'identity'), ('calling', 'firmware'), ('calling', 'configuration'), ('calling', 'proof'),
	('identity', 'firmware'), ('identity', 'configuration'), ('identity', 'proof'), ('identity', 'calling'),
	('firmware', 'configuration'), ('firmware', 'proof'), ('firmware', 'calling'),
	('configuration', 'proof'), ('configuration', 'calling'),
	('proof', 'online'), ('proof', 'calling');

create table run (
	id uuid primary key,
	unit_id uuid not null references unit,
	position_id uuid not null references position,
	customer_id uuid not null references customer,
	number integer not null check (number > 0),
	step text not null references run_step default 'bound',
	outcome text not null default 'open' check (outcome in ('open', 'failed', 'through', 'cancelled')),
	since timestamptz not null default now(),
	restart_expected boolean not null default false,
	failure_step text references run_step,
	failure_kind text,
	failure_words text,
	revision_id uuid references profile_revision,
	target_version text,
	rendering text,
	begun_at timestamptz not null default now(),
	heard_at timestamptz,
	ended_at timestamptz,
	unique (position_id, number),
	unique (id, unit_id, position_id),
	check ((outcome = 'open') = (ended_at is null)),
	check ((outcome = 'failed') = (failure_words is not null)),
	check ((failure_words is null) = (failure_step is null) and (failure_words is null) = (failure_kind is null)),
	check ((outcome = 'through') = (step = 'online'))
);
create unique index one_open_run_per_unit on run (unit_id) where outcome = 'open';
create index on run (unit_id);

create function check_run_move() returns trigger language plpgsql as $$
begin
	if old.outcome <> 'open' then
		raise exception 'run % has ended', old.id using errcode = 'integrity_constraint_violation';
	end if;
	if new.step <> old.step and not exists (select from step_move where from_step = old.step and to_step = new.step) then
		raise exception 'a run does not move from % to %', old.step, new.step using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger run_moves_as_core_says before update of step, outcome on run
	for each row when (old.step is distinct from new.step or old.outcome is distinct from new.outcome)
	execute function check_run_move();

create function check_run_start() returns trigger language plpgsql as $$
begin
	if new.step <> 'bound' or new.outcome <> 'open' then
		raise exception 'a run begins open and bound' using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger run_begins_bound before insert on run for each row execute function check_run_start();

create table run_event (
	id bigint generated always as identity primary key,
	run_id uuid not null references run,
	at timestamptz not null default now(),
	kind text not null check (kind in ('call', 'report', 'call-home', 'proof', 'withheld', 'cancel')),
	progress_type text,
	words text not null default '' check (length(words) <= 20000),
	step_before text not null references run_step,
	step_after text not null references run_step
);
create index on run_event (run_id, id);

-- one unit per position, one position per unit, same customer, suitable role and dialect
create table binding (
	position_id uuid primary key,
	unit_id uuid not null unique,
	customer_id uuid not null,
	role_id text not null,
	dialect text not null,
	run_id uuid not null,
	bound_at timestamptz not null default now(),
	foreign key (position_id, customer_id, role_id, dialect) references position (id, customer_id, role_id, dialect),
	foreign key (unit_id, customer_id, role_id, dialect) references unit (id, customer_id, role_id, dialect),
	foreign key (run_id, unit_id, position_id) references run (id, unit_id, position_id)
);
create unique index on binding (run_id);
create index on binding (customer_id);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table binding, run_event, run, step_move, run_step, image cascade;
drop function check_run_move, check_run_start`);
}
