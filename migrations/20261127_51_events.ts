import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';
const SYSTEM = {
	limen_bootstrap: EVERYTHING,
	limen_setup: EVERYTHING,
	limen_clean_up: 'select, delete'
};

/** What units say of themselves, and what a person should see of it. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- what a unit calls itself, by the configuration that it runs: to know it by where several share an address
create table unit_name (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	name text not null check (name <> '' and length(name) <= 255)
);
create index on unit_name (lower(name));
create index on unit_connection (address);

create table event (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	at timestamptz not null default now(),
	-- by the unit's own clock
	said_at timestamptz,
	severity smallint not null check (severity between 0 and 7),
	facility smallint not null check (facility between 0 and 23),
	app text not null check (length(app) <= 48),
	kind text not null check (length(kind) <= 32),
	words text not null check (length(words) <= 4000),
	form text not null check (form in ('rfc5424', 'rfc3164', 'plain', 'limen')),
	-- it says that it was configured; by whom, where it says that
	is_change boolean not null default false,
	by_whom text not null default '' check (length(by_whom) <= 200)
);
create index on event (unit_id, id desc);
create index on event (customer_id, id desc);
create index on event (at);
create index on event (unit_id, at desc) where is_change;

create table alert (
	id uuid primary key,
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	kind text not null check (kind in ('changed outside', 'put back', 'not put back')),
	words text not null check (length(words) <= 2000),
	begun_at timestamptz not null default now(),
	-- what comes of one burst is one alert
	last_at timestamptz not null default now(),
	times integer not null default 1,
	ended_at timestamptz,
	-- somebody looked at it: it stands on nobody's first page any more, which does not end it
	seen_at timestamptz,
	seen_by text,
	check ((seen_at is null) = (seen_by is null))
);
create unique index one_open_alert on alert (unit_id, kind) where ended_at is null;
create index on alert (customer_id, begun_at desc);
create index on alert (begun_at);

alter table letter_wish add column when_alert boolean not null default false`);
	await wall(knex, { table: 'unit_name', system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING } });
	await wall(knex, { table: 'event', system: SYSTEM });
	await wall(knex, { table: 'alert', people: ['update'], system: SYSTEM });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table letter_wish drop column when_alert;
drop table alert, event, unit_name;
drop index unit_connection_address_idx`);
}
