import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Finding what is at a place: what is asked for, each time it is done with an outcome per address, and where things were dragged. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table login add column port integer not null default 22 check (port between 1 and 65535);

create table survey (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (length(name) between 1 and 120),
	-- where it begins: addresses and ranges
	begins text[] not null check (cardinality(begins) between 1 and 100),
	-- nothing outside of these is touched
	ranges cidr[] not null check (cardinality(ranges) between 1 and 100),
	deepest integer not null check (deepest between 0 and 50),
	at_once integer not null check (at_once between 1 and 50),
	per_second integer not null check (per_second between 1 and 500),
	minutes integer not null check (minutes between 1 and 1440),
	every text not null check (every in ('never', 'day', 'week')),
	next_at timestamptz check ((next_at is null) = (every = 'never')),
	by_whom text not null,
	changed_at timestamptz not null default now(),
	unique (id, customer_id)
);
create unique index survey_name on survey (customer_id, lower(name));
create index on survey (next_at) where next_at is not null;

create table survey_run (
	id uuid primary key,
	survey_id uuid not null,
	customer_id uuid not null,
	foreign key (survey_id, customer_id) references survey (id, customer_id) on delete cascade,
	state text not null default 'under way' check (state in ('under way', 'done', 'cancelled', 'out of time')),
	by_whom text not null,
	begun_at timestamptz not null default now(),
	ends_at timestamptz not null,
	ended_at timestamptz check ((ended_at is null) = (state = 'under way')),
	-- how many addresses may be begun with now, as of then
	pace real not null default 0,
	paced_at timestamptz not null default now(),
	unique (id, customer_id)
);
create unique index survey_under_way on survey_run (survey_id) where state = 'under way';
create index on survey_run (survey_id, begun_at);

create table survey_address (
	run_id uuid not null,
	customer_id uuid not null,
	foreign key (run_id, customer_id) references survey_run (id, customer_id) on delete cascade,
	address inet not null,
	depth integer not null,
	ordinal bigint generated always as identity,
	-- what its neighbours say it is
	hint text not null default '',
	-- the MAC address that an address table knows it by, where only that led to it
	table_mac macaddr,
	state text not null default 'waiting' check (state in ('waiting', 'under way', 'done')),
	process_id uuid references process on delete set null,
	attempts integer not null default 0,
	at timestamptz,
	outcome text check (outcome in ('in', 'not understood', 'no login', 'login', 'held back', 'host key', 'no ssh', 'port closed',
		'unreachable', 'broke off', 'outside', 'not come to')),
	words text not null default '',
	login_id uuid references login on delete set null,
	port integer,
	-- base64
	host_key text,
	maker_id text,
	model_id text,
	serial text,
	version text,
	name text,
	mac macaddr,
	heard jsonb not null default '[]',
	speeds jsonb not null default '{}',
	check ((state = 'done') = (outcome is not null)),
	primary key (run_id, address)
);
create index on survey_address (run_id, depth, ordinal) where state <> 'done';
create index on survey_address (process_id) where state = 'under way';

-- Address tables of units: behind which port a MAC address was learnt, and which address it has
create table survey_station (
	run_id uuid not null,
	customer_id uuid not null,
	foreign key (run_id, customer_id) references survey_run (id, customer_id) on delete cascade,
	at_address inet not null,
	mac macaddr not null,
	port text not null,
	address inet
);
create index on survey_station (run_id, mac);
create index on survey_station (run_id, address) where address is not null;

create table survey_spot (
	survey_id uuid not null,
	customer_id uuid not null,
	foreign key (survey_id, customer_id) references survey (id, customer_id) on delete cascade,
	kind text not null check (kind in ('group', 'thing')),
	key text not null check (length(key) <= 400),
	x real not null,
	y real not null,
	primary key (survey_id, kind, key)
)`);
	const system = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };
	for (const table of ['survey', 'survey_run', 'survey_address', 'survey_spot'])
		await wall(knex, { table, people: ['insert', 'update', 'delete'], system });
	await wall(knex, { table: 'survey_station', system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table survey_spot, survey_station, survey_address, survey_run, survey;
alter table login drop port`);
}
