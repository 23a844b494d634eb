import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** Groups of units whose members follow a rule, and how many they were on each day. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table cohort (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	name text not null check (length(name) between 1 and 120),
	-- the address of a list of units: its filters and its text
	rule text not null check (length(rule) <= 2000),
	by_whom text not null,
	made_at timestamptz not null default now(),
	unique (id, customer_id),
	unique (customer_id, name)
);
create table cohort_size (
	cohort_id uuid not null,
	customer_id uuid not null,
	day date not null,
	units integer not null check (units >= 0),
	primary key (cohort_id, day),
	foreign key (cohort_id, customer_id) references cohort (id, customer_id) on delete cascade
)`);
	await wall(knex, {
		table: 'cohort',
		people: ['insert', 'update', 'delete'],
		system: { limen_bootstrap: 'select', limen_setup: EVERYTHING }
	});
	await wall(knex, {
		table: 'cohort_size',
		people: ['insert'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table cohort_size, cohort');
}
