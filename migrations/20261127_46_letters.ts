import type { Knex } from 'knex';

/** Which letters of sites each person wants, and what they were told already. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table letter_wish (
	person_id uuid primary key references person on delete cascade,
	-- the evening before an appointment, from this hour on in the site's own time
	evening_hour smallint check (evening_hour between 0 and 23),
	when_stuck boolean not null default false,
	when_through boolean not null default false,
	-- of what happened up to then they have been told
	told_until timestamptz not null default now(),
	told_at timestamptz not null default '-infinity'
);
create table letter_evening (
	person_id uuid not null references letter_wish on delete cascade,
	site_id uuid not null references site on delete cascade,
	day date not null,
	primary key (person_id, site_id, day)
);
create index on site_proof (ended_at) where ended_at is not null;
alter table letter_wish enable row level security;
alter table letter_evening enable row level security;
grant select, insert, update on letter_wish to limen_people;
grant select, insert on letter_evening to limen_people;
grant select on letter_wish to limen_bootstrap;
grant select, delete on letter_evening to limen_clean_up;
grant select, insert, update, delete on letter_wish to limen_setup;
create policy own on letter_wish to limen_people using (person_id = (select limen_person())) with check (person_id = (select limen_person()));
create policy own on letter_evening to limen_people using (person_id = (select limen_person())) with check (person_id = (select limen_person()));
create policy system on letter_wish to limen_bootstrap, limen_setup using (true);
create policy system on letter_evening to limen_clean_up using (true);
-- such a letter is written as whoever gets it, and to nobody else
create policy to_oneself on mail for insert to limen_people
	with check (to_address = (select email from person where id = (select limen_person())));
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy to_oneself on mail;
drop table letter_evening, letter_wish;
drop index if exists site_proof_ended_at_idx`);
}
