import type { Knex } from 'knex';

/** A rollout can be for a cohort that newcomers join, and can change what becomes of drift. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table rollout drop constraint rollout_kind_check;
alter table rollout add constraint rollout_kind_check check (kind in ('firmware', 'due', 'restore', 'restart', 'secret', 'stance'));
-- what all its units are to have; null: each its own
alter table rollout add column wanted text check (length(wanted) <= 100);
alter table rollout add column cohort_id uuid references cohort on delete set null;
-- units that come into the cohort while it is under way are done too
alter table rollout add column joins boolean not null default false;
alter table rollout add column joined_at timestamptz;
create index on rollout (cohort_id);
-- what a unit had and what it gets, of what the rollout changes: its firmware, or its stance
alter table rollout_item rename column from_version to had;
alter table rollout_item rename column to_version to gets`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
delete from rollout where kind = 'stance';
alter table rollout_item rename column gets to to_version;
alter table rollout_item rename column had to from_version;
alter table rollout drop column joined_at, drop column joins, drop column cohort_id, drop column wanted;
alter table rollout drop constraint rollout_kind_check;
alter table rollout add constraint rollout_kind_check check (kind in ('firmware', 'due', 'restore', 'restart', 'secret'))`);
}
