import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Units that somebody else configured, on their way into the plan. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table take_on (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (length(name) between 1 and 120),
	by_whom text not null,
	begun_at timestamptz not null default now(),
	ended_at timestamptz,
	-- what was wanted last, and what has been done of it: while they differ it is being learnt
	wanted integer not null default 0,
	learnt integer not null default 0 check (learnt <= wanted),
	problem text not null default '',
	unique (id, customer_id)
);
create unique index take_on_name on take_on (customer_id, lower(name)) where ended_at is null;

-- Units that are alike: one profile
create table take_on_group (
	id uuid primary key,
	take_on_id uuid not null,
	customer_id uuid not null,
	ordinal integer not null,
	dialect text not null,
	-- what somebody wants otherwise, in their order
	choices jsonb not null default '[]',
	-- what was learnt, and what it is with the choices; sealed, since values are in it
	base text,
	result text,
	-- choices that could not be made, or why it was not learnt
	problems text[] not null default '{}',
	profile_id uuid references profile on delete set null,
	unique (id, take_on_id, customer_id),
	foreign key (take_on_id, customer_id) references take_on (id, customer_id) on delete cascade
);
create index on take_on_group (take_on_id, ordinal);
create index on take_on_group (profile_id);

create table take_on_unit (
	id uuid primary key,
	take_on_id uuid not null,
	customer_id uuid not null,
	name text not null check (length(name) between 1 and 120),
	-- its configuration, sealed
	text text not null,
	lines integer not null check (lines >= 0),
	model_id text references model,
	-- whether somebody said so, or it was found by what it says
	model_said boolean not null default false,
	-- a unit that Limen knows
	unit_id uuid references unit on delete cascade,
	group_id uuid,
	-- why it is in no group
	unread text not null default '',
	-- where somebody says it is, and where it seems to be
	site_name text not null default '' check (length(site_name) <= 120),
	position_name text not null default '' check (length(position_name) <= 120),
	guessed_site text not null default '',
	guessed_position text not null default '',
	-- its values and its own statements, sealed; null until it was learnt
	learnt text,
	-- where it was put into the plan
	position_id uuid references position on delete set null,
	unique (take_on_id, name),
	unique (take_on_id, unit_id),
	foreign key (take_on_id, customer_id) references take_on (id, customer_id) on delete cascade,
	foreign key (group_id, take_on_id, customer_id) references take_on_group (id, take_on_id, customer_id) on delete set null (group_id)
);
create index on take_on_unit (group_id);
create index on take_on_unit (unit_id);
create index on take_on_unit (position_id);

-- A part that was learnt stays its profile's until somebody puts it into the library
alter table part add only_for uuid references profile on delete cascade;
create index on part (only_for)`);
	const system = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };
	for (const table of ['take_on', 'take_on_group', 'take_on_unit'])
		await wall(knex, { table, people: ['insert', 'update', 'delete'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('alter table part drop only_for; drop table take_on_unit, take_on_group, take_on');
}
