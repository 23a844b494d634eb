import type { Knex } from 'knex';

/** Callers can be turned away: they are not shown any more until somebody lets them ask again. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table caller
	add column turned_away_at timestamptz,
	add column turned_away_by text,
	add check ((turned_away_at is null) = (turned_away_by is null));
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('alter table caller drop column turned_away_by, drop column turned_away_at');
}
