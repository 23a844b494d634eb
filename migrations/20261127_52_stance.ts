import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** What becomes of drift: it is told, or put back by itself. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table unit add constraint unit_of_customer unique (id, customer_id);
-- of a unit, a site or a customer; the innermost counts, and none is watch
create table stance (
	id uuid primary key,
	customer_id uuid not null references customer on delete cascade,
	site_id uuid,
	unit_id uuid,
	stance text not null check (stance in ('watch', 'hold')),
	by_whom text not null,
	at timestamptz not null default now(),
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	foreign key (unit_id, customer_id) references unit (id, customer_id) on delete cascade,
	check (num_nonnulls(site_id, unit_id) <= 1),
	constraint one_stance_for_each unique nulls not distinct (customer_id, site_id, unit_id)
);
create index on stance (site_id) where site_id is not null;
create index on stance (unit_id) where unit_id is not null;

-- so many units of a customer are put back in an hour at most
alter table upkeep_rule add column hold_an_hour integer not null default 6 check (hold_an_hour between 1 and 1000)`);
	await wall(knex, {
		table: 'stance',
		people: ['insert', 'update', 'delete'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table upkeep_rule drop column hold_an_hour;
drop table stance;
alter table unit drop constraint unit_of_customer`);
}
