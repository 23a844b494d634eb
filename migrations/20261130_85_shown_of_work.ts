import type { Knex } from 'knex';

/** What long work shows of a thing beside its outcome, and what the work was begun for. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table long_work_item add column shown text check (length(shown) <= 200000);
-- no reference: it may be of several kinds
alter table long_work add column about_id uuid;
create index on long_work (about_id, begun_at desc) where about_id is not null;`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table long_work drop column about_id;
alter table long_work_item drop column shown;`);
}
