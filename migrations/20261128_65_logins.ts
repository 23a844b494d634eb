import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Credentials that are kept once, for ranges of a customer's addresses; and what came of trying them. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table login (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (length(name) between 1 and 120),
	-- told without the rest: who it is that logs in
	user_name text not null check (length(user_name) between 1 and 100),
	-- sealed
	login text not null,
	ranges cidr[] not null check (cardinality(ranges) between 1 and 100),
	models text[] not null default '{}',
	ordinal integer not null default 0 check (ordinal between 0 and 1000),
	by_whom text not null,
	changed_at timestamptz not null default now()
);
create unique index login_name on login (customer_id, lower(name));

-- A unit has a login of its own, or one of its customer's
alter table unit_reach alter login drop not null,
	add login_id uuid references login,
	add constraint unit_reach_login check (num_nonnulls(login, login_id) = 1);
create index on unit_reach (login_id);

-- What shows itself at an address first is what is expected there
create table address_key (
	customer_id uuid not null references customer on delete cascade,
	address inet not null,
	port integer not null check (port between 1 and 65535),
	host_key text,
	primary key (customer_id, address, port)
);

create table login_try (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	address inet not null,
	port integer not null,
	login_name text not null,
	at timestamptz not null default now(),
	outcome text not null check (outcome in ('in', 'unreachable', 'port closed', 'no ssh', 'host key', 'login', 'held back')),
	words text not null
);
create index on login_try (customer_id, address, port, at);
create index on login_try (at)`);
	const system = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING, limen_clean_up: 'select, delete' };
	for (const table of ['login', 'address_key', 'login_try'])
		await wall(knex, { table, people: ['insert', 'update', 'delete'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table login_try, address_key;
delete from unit_reach where login is null;
alter table unit_reach drop login_id, alter login set not null;
drop table login`);
}
