import type { Knex } from 'knex';

/** Views of lists that people keep for themselves; and what makes lists of many thousands quick. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table saved_view (
	id uuid primary key,
	person_id uuid not null references person on delete cascade,
	list text not null check (list in ('sites', 'units')),
	name text not null check (name <> '' and length(name) <= 60),
	-- the list's address
	query text not null check (length(query) <= 2000),
	saved_at timestamptz not null default now()
);
create unique index saved_view_name on saved_view (person_id, list, lower(name));
alter table saved_view enable row level security;
create policy system on saved_view to limen_setup using (true);
create policy own on saved_view to limen_people using (person_id = (select limen_person())) with check (person_id = (select limen_person()));
grant select, insert, update, delete on saved_view to limen_people, limen_setup;

-- finding by any part: groups of three characters of what is printed on a label
create extension if not exists pg_trgm;
create index unit_serial_part on unit using gin (serial gin_trgm_ops);
create function limen_plain_mac(mac macaddr) returns text language sql immutable as $$ select replace(mac::text, ':', '') $$;
create index unit_mac_part on unit using gin (limen_plain_mac(mac) gin_trgm_ops) where mac is not null;
create index site_name_order on site (customer_id, name);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop index site_name_order, unit_mac_part, unit_serial_part;
drop function limen_plain_mac;
drop table saved_view;
`);
}
