import type { Knex } from 'knex';

/** A change for many positions that somebody looks at before it becomes part of the plan. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table small_change (
	id uuid primary key,
	-- it shows what this person may see, and is theirs
	person_id uuid not null references person,
	positions uuid[] not null check (cardinality(positions) between 1 and 2000),
	-- sealed: as JSON, what is to change; and once it was looked at, what each position gets of its own
	what text check (what like 'sealed:%'),
	statements text check (statements like 'sealed:%'),
	-- counts the times it was looked at
	edit integer not null default 0,
	state text not null default 'open' check (state in ('open', 'working', 'done', 'failed', 'kept')),
	done integer not null default 0,
	result jsonb,
	made_at timestamptz not null default now(),
	touched_at timestamptz not null default now(),
	check (state = 'open' or what is not null),
	check (state <> 'done' or result is not null)
);
create index on small_change (person_id);
alter table small_change enable row level security;
create policy own on small_change to limen_people using (person_id = (select limen_person()));
create policy system on small_change to limen_setup, limen_clean_up using (true);
grant select, insert, update, delete on small_change to limen_people;
grant select on small_change to limen_setup;
grant select, delete on small_change to limen_clean_up`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table small_change');
}
