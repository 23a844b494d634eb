import type { Knex } from 'knex';

/** What runs beside what is saved: a unit that would start with something else is found. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table finding drop constraint finding_kind_check,
	add constraint finding_kind_check check (kind in ('missing', 'extra', 'changed', 'order', 'unsaved'));
create index on reading (errand_id, kind)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop index reading_errand_id_kind_idx;
delete from finding where kind = 'unsaved';
alter table finding drop constraint finding_kind_check,
	add constraint finding_kind_check check (kind in ('missing', 'extra', 'changed', 'order'))`);
}
