import type { Knex } from 'knex';

const EVERYTHING = 'select, insert, update, delete';

/** Screens on walls that nobody signs in at: each has an address of its own, which an administrator ends. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table wall_screen (
	id uuid primary key,
	name text not null check (name <> '' and length(name) <= 80),
	-- whose sites it shows; null: everybody's
	customer_id uuid references customer,
	-- the address itself is shown once and kept nowhere
	token_hash bytea not null unique check (length(token_hash) = 32),
	made_by text not null,
	made_at timestamptz not null default now(),
	ended_at timestamptz,
	ended_by text,
	check ((ended_at is null) = (ended_by is null))
);
alter table wall_screen enable row level security;
grant select, insert, update on wall_screen to limen_people;
create policy administrators on wall_screen to limen_people using ((select limen_sees_all())) with check ((select limen_sees_all()));
grant ${EVERYTHING} on wall_screen to limen_bootstrap, limen_setup;
create policy system on wall_screen to limen_bootstrap, limen_setup using (true)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table wall_screen');
}
