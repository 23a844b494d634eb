import type { Knex } from 'knex';

/** Statements that a position has of its own, beside what its profile says; sealed, for a secret may stand in them. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`alter table position add column own_text text check (own_text like 'sealed:%' and length(own_text) < 2000000)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('alter table position drop column own_text');
}
