import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = 'select, insert, update, delete';

/** How many units of each profile were behind on each day, and why. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table behind_on_day (
	customer_id uuid not null references customer on delete cascade,
	profile_id uuid not null references profile on delete cascade,
	day date not null,
	units integer not null check (units >= 0),
	behind integer not null check (behind between 0 and units),
	-- for more than one reason at the same time, too
	by_revision integer not null,
	by_values integer not null,
	by_firmware integer not null,
	primary key (customer_id, profile_id, day)
)`);
	await wall(knex, {
		table: 'behind_on_day',
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING, limen_clean_up: 'select, delete' }
	});
	await knex.raw(`
grant select, delete on cohort_size to limen_clean_up;
create policy clean_up on cohort_size to limen_clean_up using (true)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy clean_up on cohort_size;
revoke select, delete on cohort_size from limen_clean_up;
drop table behind_on_day`);
}
