import type { Knex } from 'knex';
import { wall } from './help/walls';

/** Units that do not dial home are reached at an address: with a login, and by the way in that their customer has for it. */
const EVERYTHING = 'select, insert, update, delete';
const SYSTEM = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table way_in (
	id uuid primary key,
	customer_id uuid not null references customer,
	name text not null check (name <> '' and length(name) <= 120),
	kind text not null check (kind in ('jump', 'socks5')),
	host text not null check (host <> '' and length(host) <= 253),
	port integer not null check (port between 1 and 65535),
	-- sealed; a jump host always asks for one, a proxy need not
	login text check (kind = 'socks5' or login is not null),
	-- pinned at the first contact
	host_key text,
	ranges cidr[] not null check (cardinality(ranges) between 1 and 100)
);
create unique index way_in_name on way_in (customer_id, lower(name));

create table unit_reach (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	address inet not null,
	port integer not null check (port between 1 and 65535),
	-- sealed
	login text not null,
	-- pinned at the first contact
	host_key text,
	tries integer not null default 0,
	next_try_at timestamptz not null default now()
);
create index on unit_reach (next_try_at);
create index on unit_reach (customer_id);
`);
	for (const table of ['way_in', 'unit_reach'])
		await wall(knex, { table, people: ['insert', 'update', 'delete'], system: SYSTEM });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table unit_reach, way_in');
}
