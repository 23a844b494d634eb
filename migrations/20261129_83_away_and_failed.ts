import type { Knex } from 'knex';

/** Few are found among many that are well: units that are not connected, runs that failed, errands whose time is over. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create index unit_connection_away on unit_connection (ended_at) where ended_at is not null;
create index run_failed on run (ended_at) where outcome = 'failed';
create index errand_due on errand (deadline) where state = 'waiting'`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop index unit_connection_away, run_failed, errand_due');
}
