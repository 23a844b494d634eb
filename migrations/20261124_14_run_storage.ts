import type { Knex } from 'knex';

/**
 * A run is written with every report of its unit, and what it was served stays the same: that is kept
 * beside the row, so that a report writes a few hundred bytes and not the whole rendering again.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table run set (toast_tuple_target = 256, fillfactor = 75);
-- what is sealed cannot be compressed
alter table run alter column rendering set storage external;
alter table run alter column checks set storage external;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table run alter column checks set storage extended;
alter table run alter column rendering set storage extended;
alter table run reset (toast_tuple_target, fillfactor);
`);
}
