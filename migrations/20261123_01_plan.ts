import type { Knex } from 'knex';

/** Customers, sites, positions, the models that can fill them, and the profiles they follow. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table role (id text primary key check (id ~ '^[a-z][a-z-]*$'), name text not null unique);
insert into role (id, name) values ('router', 'router'), ('gateway', 'gateway'), ('access-point', 'access point');

create table maker (id text primary key check (id ~ '^[a-z][a-z0-9-]*$'), name text not null unique);

create table model (
	id text primary key check (id ~ '^[a-z][a-z0-9-]*$'),
	name text not null unique,
	maker_id text not null references maker,
	role_id text not null references role,
	dialect text not null check (dialect in ('indented', 'braced', 'json')),
	ordered_heads text[] not null default '{}',
	firmware_line text not null,
	serial_template text not null check (serial_template ~ '^[A-Z0-9dlac]{6,32}$'),
	serial_check text not null check (serial_check in ('iso7064-mod-37-36', 'iso7064-mod-11-10', 'none')),
	ports jsonb not null check (jsonb_typeof(ports) = 'object'),
	-- what a unit's row repeats of its model, so that foreign keys can hold the rules
	unique (id, maker_id, role_id, dialect)
);

create table customer (
	id uuid primary key,
	name text not null unique check (name <> ''),
	values jsonb not null default '{}' check (jsonb_typeof(values) = 'object'),
	created_at timestamptz not null default now()
);

create table site (
	id uuid primary key,
	customer_id uuid not null references customer,
	name text not null check (name <> ''),
	street text not null default '',
	locality text not null default '',
	latitude double precision check (latitude between -90 and 90),
	longitude double precision check (longitude between -180 and 180),
	time_zone text not null,
	contact text not null default '',
	uplink text not null check (uplink in ('fibre', 'dsl', 'cellular')),
	appointment_at timestamptz,
	values jsonb not null default '{}' check (jsonb_typeof(values) = 'object'),
	created_at timestamptz not null default now(),
	unique (customer_id, name),
	unique (id, customer_id)
);

create table profile (
	id uuid primary key,
	name text not null unique check (name <> ''),
	role_id text not null references role,
	dialect text not null check (dialect in ('indented', 'braced', 'json')),
	unique (id, role_id, dialect)
);

create table profile_revision (
	id uuid primary key,
	profile_id uuid not null references profile,
	number integer not null check (number > 0),
	state text not null check (state in ('draft', 'released')),
	text text not null check (length(text) <= 262144),
	values jsonb not null default '{}' check (jsonb_typeof(values) = 'object'),
	target_version text,
	pre_script text,
	post_script text,
	note text not null default '',
	released_at timestamptz,
	unique (profile_id, number),
	unique (id, profile_id),
	check ((state = 'released') = (released_at is not null))
);
alter table profile add column released_revision_id uuid;
alter table profile add foreign key (released_revision_id, id) references profile_revision (id, profile_id);

create function refuse_change_of_released() returns trigger language plpgsql as $$
begin
	if old.state = 'released' then
		raise exception 'revision % is released and never changes again', old.id using errcode = 'integrity_constraint_violation';
	end if;
	return coalesce(new, old);
end $$;
create trigger released_never_changes before update or delete on profile_revision
	for each row execute function refuse_change_of_released();

create table position (
	id uuid primary key,
	site_id uuid not null,
	customer_id uuid not null,
	name text not null check (name <> ''),
	role_id text not null references role,
	profile_id uuid not null,
	dialect text not null,
	values jsonb not null default '{}' check (jsonb_typeof(values) = 'object'),
	unique (site_id, name),
	unique (id, customer_id, role_id, dialect),
	foreign key (site_id, customer_id) references site (id, customer_id),
	foreign key (profile_id, role_id, dialect) references profile (id, role_id, dialect)
);
create index on position (customer_id);
create index on position (profile_id);
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table position, profile_revision, profile, site, customer, model, maker, role cascade;
drop function refuse_change_of_released`);
}
