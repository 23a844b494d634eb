import type { Knex } from 'knex';

const KINDS = `'changed outside', 'put back', 'not put back', 'other host key', 'figure', 'not heard', 'said', 'late', 'drift', 'ending', 'connector'`;

/** A box that says another serial number than the one that is bound there is told of. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(
		`alter table alert drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}, 'other serial'))`
	);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from alert where kind = 'other serial';
alter table alert drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}))`);
}
