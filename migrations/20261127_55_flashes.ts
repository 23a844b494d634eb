import type { Knex } from 'knex';
import { wall } from './help/walls';

/** Firmware of units that are online. The states and moves of a flash are those of core's FLASH_MOVES. */
const MOVES: Readonly<Record<string, readonly string[]>> = {
	waiting: ['fetching', 'done', 'refused', 'let go'],
	fetching: ['installing', 'refused', 'let go'],
	installing: ['waiting', 'done', 'gone back', 'refused', 'differs', 'let go']
};
const ENDS = `('done', 'gone back', 'refused', 'differs', 'let go')`;
const EVERYTHING = 'select, insert, update, delete';

/** What units were given, without what became of their firmware since. */
const GIVEN = `
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at, revision_id
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at, send.revision_id
	from send join run on run.id = send.run_id where send.state = 'confirmed' and send.kind = 'due'
	union all
	select intention.unit_id, intention.position_id, intention.customer_id, intention.rendering, intention.checks, run.target_version, run.number, intention.at, intention.revision_id
	from intention join run on run.id = intention.run_id`;
/** The same, where the firmware that was flashed since the run began counts in place of the run's target. */
const GIVEN_SINCE = GIVEN.replace(
	/run\.target_version, run\.number, (\w+)\.(\w+)/g,
	'coalesce(flashed_to(run.id, $1.$2), run.target_version), run.number, $1.$2'
);

export async function up(knex: Knex): Promise<void> {
	const moves = Object.entries(MOVES).flatMap(([from, all]) => all.map((to) => `('${from}', '${to}')`));
	await knex.raw(`
alter table image
	add column state text not null default 'allowed' check (state in ('allowed', 'preferred', 'withdrawn')),
	add column state_reason text not null default '' check (length(state_reason) <= 500),
	add column notes text not null default '' check (length(notes) <= 4000),
	add column edit integer not null default 0,
	add check (state <> 'withdrawn' or state_reason <> '');
create unique index one_preferred_image on image (firmware_line) where state = 'preferred';
grant update (state, state_reason, notes, edit) on image to limen_people;

-- another firmware than the profile's, for a customer, a site or a position; the innermost counts
create table firmware_target (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	site_id uuid,
	position_id uuid references position on delete cascade,
	firmware_line text not null check (firmware_line <> ''),
	version text not null check (version ~ '^[0-9A-Za-z.+_-]{1,64}$'),
	reason text not null default '' check (length(reason) <= 500),
	by_whom text not null,
	at timestamptz not null default now(),
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	check (num_nonnulls(site_id, position_id) <= 1),
	constraint one_target_for_each unique nulls not distinct (customer_id, site_id, position_id, firmware_line)
);
create index on firmware_target (position_id) where position_id is not null;
create index on firmware_target (site_id) where site_id is not null;

-- by firmware line, what is wanted at a position in place of its profile's targets
create function targets_at(a_customer uuid, a_site uuid, a_position uuid) returns jsonb language sql stable as $$
	select jsonb_object_agg(firmware_line, version) from (
		select distinct on (firmware_line) firmware_line, version from firmware_target
		where customer_id = a_customer and (site_id is null or site_id = a_site) and (position_id is null or position_id = a_position)
		order by firmware_line, position_id is null, site_id is null
	) innermost
$$;

create table flash_move (from_state text, to_state text, primary key (from_state, to_state));
insert into flash_move values ${moves.join(', ')};
create table flash (
	id uuid primary key,
	unit_id uuid not null references unit,
	position_id uuid not null references position on delete cascade,
	customer_id uuid not null references customer,
	run_id uuid not null references run,
	from_version text not null,
	path text[] not null check (cardinality(path) between 1 and 100),
	-- which of them it is being brought to
	at integer not null default 0 check (at >= 0 and at < cardinality(path)),
	state text not null default 'waiting',
	said_at timestamptz,
	-- how much of the image has arrived
	percent integer check (percent between 0 and 100),
	refusal text check (length(refusal) <= 20000),
	-- the connection over which it was told to install
	session uuid,
	errand_id uuid references errand on delete set null,
	look_at timestamptz not null default now(),
	asked_by text not null,
	asked_at timestamptz not null default now(),
	reason text,
	ended_at timestamptz,
	check ((state in ${ENDS}) = (ended_at is not null))
);
create unique index one_flash_at_a_time on flash (unit_id) where ended_at is null;
create index on flash (unit_id, asked_at desc);
create index on flash (run_id, ended_at) where state = 'done';
create index on flash (look_at) where ended_at is null;

create function check_flash_move() returns trigger language plpgsql as $$
begin
	if not exists (select from flash_move where from_state = old.state and to_state = new.state) then
		raise exception 'a flash does not move from % to %', old.state, new.state using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger flashes_move_as_core_says before update of state on flash
	for each row when (old.state is distinct from new.state) execute function check_flash_move();
grant select on flash_move to limen_people, limen_bootstrap, limen_setup;

create function flashed_to(a_run uuid, until timestamptz) returns text language sql stable as $$
	select path[cardinality(path)] from flash where run_id = a_run and state = 'done' and ended_at <= until order by ended_at desc limit 1
$$`);
	await wall(knex, {
		table: 'firmware_target',
		people: ['insert', 'update', 'delete'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
	await wall(knex, {
		table: 'flash',
		people: ['insert', 'update'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
	await knex.raw(`
create or replace view served with (security_invoker = true) as ${GIVEN_SINCE}
	union all
	-- a unit that was flashed is to run what it was given last, with its new firmware
	select flash.unit_id, flash.position_id, flash.customer_id, given.rendering, given.checks, flash.path[cardinality(flash.path)], given.number, flash.ended_at, given.revision_id
	from flash cross join lateral (
		select * from (${GIVEN}) given where given.position_id = flash.position_id and given.unit_id = flash.unit_id and given.at <= flash.ended_at
		order by given.at desc limit 1
	) given where flash.state = 'done'`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
create or replace view served with (security_invoker = true) as ${GIVEN};
drop function flashed_to;
drop table flash, flash_move;
drop function check_flash_move;
drop function targets_at;
drop table firmware_target;
drop index one_preferred_image;
revoke update (state, state_reason, notes, edit) on image from limen_people;
alter table image drop column state, drop column state_reason, drop column notes, drop column edit`);
}
