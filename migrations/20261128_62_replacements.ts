import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** A model that is replaced by another across a customer's network, unit by unit. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table replacement (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (length(name) between 1 and 120),
	-- who is to go, as the address of the list of units says it
	rule text not null check (length(rule) <= 2000),
	model_id text not null references model,
	by_whom text not null,
	made_at timestamptz not null default now(),
	-- when who is to go, and what does not match, was last looked at
	looked_at timestamptz,
	ended_at timestamptz,
	unique (id, customer_id)
);
create unique index replacement_name on replacement (customer_id, lower(name)) where ended_at is null;

create table replacement_place (
	replacement_id uuid not null,
	customer_id uuid not null,
	position_id uuid not null references position on delete cascade,
	old_unit_id uuid not null references unit,
	-- the new one that is meant for it
	unit_id uuid references unit,
	-- what of the place does not match the new model
	problems text[] not null default '{}',
	primary key (replacement_id, position_id),
	unique (unit_id),
	check (unit_id <> old_unit_id),
	foreign key (replacement_id, customer_id) references replacement (id, customer_id) on delete cascade
);
create index on replacement_place (position_id);
create index on replacement_place (old_unit_id);

create table replacement_day (
	replacement_id uuid not null,
	customer_id uuid not null,
	day date not null,
	going integer not null check (going >= 0),
	coming integer not null check (coming >= 0),
	primary key (replacement_id, day),
	foreign key (replacement_id, customer_id) references replacement (id, customer_id) on delete cascade
)`);
	const system = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };
	await wall(knex, { table: 'replacement', people: ['insert', 'update', 'delete'], system });
	await wall(knex, { table: 'replacement_place', people: ['insert', 'update', 'delete'], system });
	await wall(knex, { table: 'replacement_day', people: ['insert', 'update'], system });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table replacement_day, replacement_place, replacement');
}
