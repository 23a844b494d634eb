import type { Knex } from 'knex';

/** Few are found among many that are well: units that are not connected, runs that failed, errands whose time is over, readings of the last hour. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create index unit_connection_away on unit_connection (ended_at) where ended_at is not null;
create index run_failed on run (ended_at) where outcome = 'failed';
create index errand_due on errand (deadline) where state = 'waiting';
create index errand_reads on errand (asked_at) where kind = 'read';
-- What is cleaned up every ten minutes
create index errand_fleeting on errand (ended_at) where kind in ('across', 'health');
create index run_event_fleeting on run_event (at) where kind in ('lost', 'back');
create index absence_to_at on absence (to_at)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(
		'drop index unit_connection_away, run_failed, errand_due, errand_reads, errand_fleeting, run_event_fleeting, absence_to_at'
	);
}
