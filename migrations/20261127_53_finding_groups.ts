import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** The same finding at many units is one row, counted when it changes: the page of drift reads those. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table finding_group (
	same bytea not null check (length(same) = 32),
	customer_id uuid not null references customer,
	-- findings that count, and those that are left for now
	units integer not null default 0,
	sites integer not null default 0,
	left_units integer not null default 0,
	-- of those that count: the oldest, which stands for all, and who did them as far as known
	first_id uuid,
	since timestamptz,
	touches text,
	by_whom text[] not null default '{}',
	-- of those that are left: one that stands for them, and until which day the first of them is
	left_id uuid,
	left_until date,
	primary key (same, customer_id)
);
create index on finding_group (customer_id);
create index on finding_group (left_until) where left_until is not null;
drop index finding_same_idx;
create index on finding (same, customer_id) where ended_at is null`);
	await wall(knex, {
		table: 'finding_group',
		people: ['insert', 'update', 'delete'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop index finding_same_customer_id_idx;
create index on finding (same) where ended_at is null;
drop table finding_group`);
}
