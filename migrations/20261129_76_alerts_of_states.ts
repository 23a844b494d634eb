import type { Knex } from 'knex';

const KINDS = `'changed outside', 'put back', 'not put back', 'other host key', 'figure', 'not heard', 'said'`;

/** Rules also of how a unit stands: late, running something else, with a voucher that ends. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(
		`alter table alert drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}, 'late', 'drift', 'ending'))`
	);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from alert where kind in ('late', 'drift', 'ending');
delete from alert_rule where rule->>'about' in ('late', 'drift', 'ending');
alter table alert drop constraint alert_kind_check, add constraint alert_kind_check check (kind in (${KINDS}))`);
}
