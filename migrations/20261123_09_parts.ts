import type { Knex } from 'knex';

/**
 * Profiles made of parts. A part has a text for each dialect it supports, and so a profile serves every
 * model for which all its parts have one: neither profile, position nor binding is tied to a dialect any
 * more. What a model can fill is said by `model_role`, and its maker's grammar lies beside it.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table grammar (id text primary key check (id ~ '^[a-z][a-z0-9-]*$'), document jsonb not null check (jsonb_typeof(document) = 'object'));
alter table model add column grammar_id text references grammar;
create table model_role (model_id text references model, role_id text references role, primary key (model_id, role_id));
insert into model_role (model_id, role_id) select id, role_id from model;

create table part (
	id uuid primary key,
	name text not null check (name <> '' and length(name) <= 120),
	summary text not null default '' check (length(summary) <= 500),
	-- what it is for in the guided start; nothing when it is for none of that
	purpose text check (purpose ~ '^[a-z][a-z-]*$'),
	created_at timestamptz not null default now(),
	retired_at timestamptz
);
-- one name, however it is written
create unique index part_name on part (lower(name)) where retired_at is null;

create table part_revision (
	id uuid primary key,
	part_id uuid not null references part,
	number integer not null check (number > 0),
	state text not null check (state in ('draft', 'released')),
	texts jsonb not null default '{}' check (jsonb_typeof(texts) = 'object' and length(texts::text) <= 1048576),
	fields jsonb not null default '[]' check (jsonb_typeof(fields) = 'array'),
	note text not null default '' check (length(note) <= 2000),
	-- counts the times it was saved: who saves what somebody else has changed meanwhile is told
	edit integer not null default 1,
	edited_by text not null default '',
	edited_at timestamptz not null default now(),
	released_by text,
	released_at timestamptz,
	unique (part_id, number),
	unique (id, part_id),
	check ((state = 'released') = (released_at is not null))
);
create unique index one_draft_of_part on part_revision (part_id) where state = 'draft';
create trigger released_never_changes before update or delete on part_revision
	for each row execute function refuse_change_of_released();

alter table profile_revision disable trigger released_never_changes;
alter table profile_revision
	add column texts jsonb not null default '{}' check (jsonb_typeof(texts) = 'object' and length(texts::text) <= 1048576),
	add column fields jsonb not null default '[]' check (jsonb_typeof(fields) = 'array'),
	add column targets jsonb not null default '{}' check (jsonb_typeof(targets) = 'object'),
	add column scripts jsonb not null default '{}' check (jsonb_typeof(scripts) = 'object'),
	add column edit integer not null default 1,
	add column edited_by text not null default '',
	add column edited_at timestamptz not null default now(),
	add column released_by text,
	-- why an engineer released what would strand units
	add column override_reason text;
alter table binding add column override_reason text;
update profile_revision set texts = jsonb_build_object(profile.dialect, text),
	targets = case when target_version is null then '{}' else coalesce((
		select jsonb_object_agg(distinct firmware_line, target_version) from model
		where model.role_id = profile.role_id and model.dialect = profile.dialect
	), '{}') end,
	scripts = case when pre_script is null and post_script is null then '{}' else jsonb_build_object(profile.dialect,
		jsonb_strip_nulls(jsonb_build_object('before', pre_script, 'after', post_script))) end
from profile where profile.id = profile_revision.profile_id;
alter table profile_revision drop column text, drop column target_version, drop column pre_script, drop column post_script;
alter table profile_revision enable trigger released_never_changes;
create unique index one_draft_of_profile on profile_revision (profile_id) where state = 'draft';
alter table profile add column retired_at timestamptz;
alter table profile drop constraint profile_name_key;
create unique index profile_name on profile (lower(name)) where retired_at is null;

create table profile_part (
	revision_id uuid not null references profile_revision on delete cascade,
	ordinal integer not null,
	part_id uuid not null,
	part_revision_id uuid not null,
	primary key (revision_id, ordinal),
	unique (revision_id, part_id),
	foreign key (part_revision_id, part_id) references part_revision (id, part_id)
);
create index on profile_part (part_revision_id);
create function refuse_parts_of_released() returns trigger language plpgsql as $$
begin
	if exists (select from profile_revision where id = coalesce(old.revision_id, new.revision_id) and state = 'released') then
		raise exception 'the parts of a released revision never change' using errcode = 'integrity_constraint_violation';
	end if;
	return coalesce(new, old);
end $$;
create trigger released_never_changes before insert or update or delete on profile_part
	for each row execute function refuse_parts_of_released();
create function refuse_draft_parts() returns trigger language plpgsql as $$
begin
	if exists (select from profile_part join part_revision on part_revision.id = part_revision_id
		where revision_id = new.id and part_revision.state = 'draft') then
		raise exception 'a released profile has released parts only' using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger released_parts_only before update of state on profile_revision
	for each row when (new.state = 'released') execute function refuse_draft_parts();

alter table binding drop constraint binding_position_id_customer_id_role_id_dialect_fkey,
	drop constraint binding_model_id_role_id_dialect_fkey;
alter table position drop constraint position_profile_id_role_id_dialect_fkey, drop constraint position_id_customer_id_role_id_dialect_key;
alter table profile drop constraint profile_id_role_id_dialect_key, drop column dialect, add unique (id, role_id);
alter table position drop column dialect, add unique (id, customer_id, role_id),
	add foreign key (profile_id, role_id) references profile (id, role_id);
alter table binding drop column dialect,
	add foreign key (position_id, customer_id, role_id) references position (id, customer_id, role_id),
	add foreign key (model_id, role_id) references model_role (model_id, role_id);
alter table model drop constraint model_id_role_id_dialect_key;

-- what a run was given, and of which revision, stays as it was; profiles are written by engineers only
create function limen_writes_profiles() returns boolean language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	return limen_sees_all() or exists (
		select from membership join person on person.id = person_id
		where person_id = limen_person() and disabled_at is null and role = 'engineer'
	);
end $$;
grant select on grammar, model_role, part, part_revision, profile_part to limen_people, limen_bootstrap;
grant insert, update on part, part_revision, profile, profile_revision, profile_part to limen_people;
grant delete on part_revision, profile_revision, profile_part to limen_people;
grant select, insert, update, delete on grammar, model_role, part, part_revision, profile_part to limen_setup;
`);
	for (const table of ['part', 'part_revision', 'profile', 'profile_revision', 'profile_part'])
		await knex.raw(`
alter table ${table} enable row level security;
create policy system on ${table} to limen_bootstrap, limen_setup using (true);
create policy read on ${table} for select to limen_people using (true);
create policy write on ${table} to limen_people using ((select limen_writes_profiles()));
`);
}

export async function down(knex: Knex): Promise<void> {
	for (const table of ['part', 'part_revision', 'profile', 'profile_revision', 'profile_part'])
		await knex.raw(`
drop policy system on ${table};
drop policy read on ${table};
drop policy write on ${table};
alter table ${table} disable row level security`);
	await knex.raw(`
revoke insert, update, delete on profile, profile_revision from limen_people;
drop function limen_writes_profiles;
alter table profile add column dialect text;
update profile set dialect = coalesce(
	(select key from profile_revision, jsonb_object_keys(texts) key where profile_revision.id = released_revision_id limit 1), 'indented');
alter table profile alter column dialect set not null, add check (dialect in ('indented', 'braced', 'json')), add unique (id, role_id, dialect);
alter table position add column dialect text;
update position set dialect = profile.dialect from profile where profile.id = profile_id;
alter table binding drop constraint binding_position_id_customer_id_role_id_fkey, drop constraint binding_model_id_role_id_fkey, add column dialect text;
update binding set dialect = position.dialect from position where position.id = position_id;
alter table binding alter column dialect set not null;
alter table position drop constraint position_profile_id_role_id_fkey, drop constraint position_id_customer_id_role_id_key,
	alter column dialect set not null, add unique (id, customer_id, role_id, dialect),
	add foreign key (profile_id, role_id, dialect) references profile (id, role_id, dialect);
alter table model add unique (id, role_id, dialect);
alter table binding add foreign key (position_id, customer_id, role_id, dialect) references position (id, customer_id, role_id, dialect),
	add foreign key (model_id, role_id, dialect) references model (id, role_id, dialect);
alter table profile drop constraint profile_id_role_id_key;

drop trigger released_parts_only on profile_revision;
drop table profile_part;
drop function refuse_parts_of_released, refuse_draft_parts;
drop index one_draft_of_profile;
drop index profile_name;
alter table profile add constraint profile_name_key unique (name), drop column retired_at;
alter table profile_revision disable trigger released_never_changes;
alter table profile_revision add column text text, add column target_version text, add column pre_script text, add column post_script text;
update profile_revision set text = coalesce(texts->>profile.dialect, ''),
	target_version = (select value from jsonb_each_text(targets) limit 1),
	pre_script = scripts->profile.dialect->>'before', post_script = scripts->profile.dialect->>'after'
from profile where profile.id = profile_revision.profile_id;
alter table profile_revision alter column text set not null, add check (length(text) <= 262144),
	drop column texts, drop column fields, drop column targets, drop column scripts, drop column edit,
	drop column edited_by, drop column edited_at, drop column released_by, drop column override_reason;
alter table binding drop column override_reason;
alter table profile_revision enable trigger released_never_changes;
drop table part_revision, part, model_role;
alter table model drop column grammar_id;
drop table grammar;
`);
}
