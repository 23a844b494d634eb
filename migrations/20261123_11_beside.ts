import type { Knex } from 'knex';

/**
 * What goes with a configuration: files that units download, and the checks that a unit must pass before
 * it counts as online. A file is known by its name and its hash; a run keeps its checks, sealed, as they
 * were when its unit was served.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table profile_revision disable trigger released_never_changes;
alter table profile_revision
	add column files jsonb not null default '[]' check (jsonb_typeof(files) = 'array' and length(files::text) <= 1048576),
	add column checks jsonb not null default '[]' check (jsonb_typeof(checks) = 'array' and length(checks::text) <= 262144);
alter table profile_revision enable trigger released_never_changes;
create index file_by_hash on profile_revision using gin (files jsonb_path_ops) where state = 'released';
alter table run add column checks text;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table run drop column checks;
drop index file_by_hash;
alter table profile_revision disable trigger released_never_changes;
alter table profile_revision drop column files, drop column checks;
alter table profile_revision enable trigger released_never_changes;
`);
}
