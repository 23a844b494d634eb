import type { Knex } from 'knex';

/**
 * What is known of a site before anybody goes there; patterns that sites are stamped from; who goes when,
 * and the address of their calendar.
 */
const WALLED = ['site_pattern', 'pattern_position'];

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table site
	add column country text not null default '' check (length(country) <= 80),
	add column phone text not null default '' check (length(phone) <= 40),
	add column access_hours text not null default '' check (length(access_hours) <= 500),
	add column directions text not null default '' check (length(directions) <= 2000),
	-- of the uplink: who provides it and what they call it; of a cellular one its card and access point name
	add column provider text not null default '' check (length(provider) <= 120),
	add column circuit text not null default '' check (length(circuit) <= 120),
	add column sim text not null default '' check (sim = '' or sim ~ '^[0-9]{18,20}$'),
	add column apn text not null default '' check (length(apn) <= 100),
	add column appointment_minutes integer not null default 60 check (appointment_minutes between 5 and 1440),
	add column technician_id uuid references person,
	-- who changes what somebody else has changed meanwhile is told
	add column edit integer not null default 0;
create index site_appointment on site (technician_id, appointment_at) where technician_id is not null;

create table site_pattern (
	id uuid primary key,
	customer_id uuid not null references customer,
	name text not null check (name <> '' and length(name) <= 120),
	note text not null default '' check (length(note) <= 1000),
	-- given at every site stamped from it
	site_values jsonb not null default '{}' check (jsonb_typeof(site_values) = 'object'),
	edit integer not null default 0,
	created_at timestamptz not null default now(),
	unique (id, customer_id)
);
create unique index site_pattern_name on site_pattern (customer_id, lower(name));

create table pattern_position (
	id uuid primary key,
	pattern_id uuid not null,
	customer_id uuid not null,
	ordinal integer not null,
	name text not null check (name <> '' and length(name) <= 120),
	role_id text not null references role,
	profile_id uuid not null,
	values jsonb not null default '{}' check (jsonb_typeof(values) = 'object'),
	foreign key (pattern_id, customer_id) references site_pattern (id, customer_id) on delete cascade,
	foreign key (profile_id, role_id) references profile (id, role_id),
	unique (id, customer_id)
);
create unique index pattern_position_name on pattern_position (pattern_id, lower(name));

-- what was stamped stays beside what is, so that a site's own changes are told from its pattern's
alter table site
	add column pattern_id uuid,
	add column stamped jsonb check (jsonb_typeof(stamped) = 'object'),
	add foreign key (pattern_id, customer_id) references site_pattern (id, customer_id) on delete set null (pattern_id);
create index on site (pattern_id) where pattern_id is not null;
alter table position
	add column pattern_position_id uuid,
	add column stamped jsonb check (jsonb_typeof(stamped) = 'object');

grant select, insert, update, delete on site_pattern, pattern_position to limen_people, limen_setup;
grant insert on customer to limen_people;

-- a calendar program shows no password: it has an address that nobody can guess, kept as its hash
create table calendar (
	person_id uuid primary key references person on delete cascade,
	token_hash bytea not null unique,
	created_at timestamptz not null default now()
);
alter table calendar enable row level security;
create policy own on calendar to limen_people using (person_id = (select limen_person())) with check (person_id = (select limen_person()));
create policy system on calendar to limen_setup using (true);
grant select, insert, update, delete on calendar to limen_people, limen_setup;
create function limen_calendar(hash bytea) returns uuid
language sql stable security definer set search_path = public, pg_temp as $$
	select person_id from calendar join person on person.id = person_id where token_hash = hash and disabled_at is null
$$;

-- the names of those who work for the customers that one works for oneself, and nothing else of them
create function limen_colleagues() returns table (id uuid, name text, customer_id uuid)
language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return query select person.id, person.name, membership.customer_id from membership join person on person.id = membership.person_id
		where role in ('technician', 'coordinator', 'engineer') and disabled_at is null
		and (limen_sees_all() or membership.customer_id = any (limen_reads()));
end $$;
-- a technician goes to sites of customers they work for
create function refuse_stranger_as_technician() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
begin
	if not exists (select from person left join membership on membership.person_id = person.id and membership.customer_id = new.customer_id
		where person.id = new.technician_id and disabled_at is null and (administrator or role in ('technician', 'coordinator', 'engineer'))) then
		raise exception 'the technician of a site works for its customer'
			using errcode = 'integrity_constraint_violation', constraint = 'technician_of_customer';
	end if;
	return new;
end $$;
create trigger technician_of_customer before insert or update of technician_id on site
	for each row when (new.technician_id is not null) execute function refuse_stranger_as_technician();
revoke execute on function limen_calendar, limen_colleagues from public;
grant execute on function limen_calendar, limen_colleagues to limen_people, limen_setup;
`);
	for (const table of WALLED) {
		const seen = `(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])`;
		const changed = `(select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[])`;
		await knex.raw(`
alter table ${table} enable row level security;
create policy system on ${table} to limen_setup using (true);
create policy read on ${table} for select to limen_people using (${seen});
create policy add on ${table} for insert to limen_people with check (${changed});
create policy change on ${table} for update to limen_people using (${changed}) with check (${changed});
create policy remove on ${table} for delete to limen_people using (${changed});
`);
	}
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop trigger technician_of_customer on site;
drop function refuse_stranger_as_technician, limen_colleagues, limen_calendar;
drop table calendar;
revoke insert on customer from limen_people;
alter table position drop column stamped, drop column pattern_position_id;
alter table site drop column pattern_id, drop column stamped, drop column edit, drop column technician_id, drop column appointment_minutes,
	drop column apn, drop column sim, drop column circuit, drop column provider, drop column directions, drop column access_hours,
	drop column phone, drop column country;
drop table pattern_position, site_pattern;
`);
}
