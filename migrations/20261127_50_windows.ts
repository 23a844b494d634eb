import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** When disruptive acts are allowed at a site. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- stated for a customer, one of its patterns, or one of its sites; the innermost counts (core/windows)
create table window_rule (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	pattern_id uuid,
	site_id uuid,
	rule jsonb not null check (jsonb_typeof(rule) = 'object' and length(rule::text) <= 200000),
	edit integer not null default 0,
	foreign key (pattern_id, customer_id) references site_pattern (id, customer_id) on delete cascade,
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	check (num_nonnulls(pattern_id, site_id) <= 1),
	constraint one_rule_for_each unique nulls not distinct (customer_id, pattern_id, site_id)
);
create index on window_rule (site_id) where site_id is not null;
create index on window_rule (pattern_id) where pattern_id is not null`);
	await wall(knex, {
		table: 'window_rule',
		people: ['insert', 'update', 'delete'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table window_rule');
}
