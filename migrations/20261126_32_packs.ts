import type { Knex } from 'knex';

/**
 * Packs: what is known of a maker's models comes from one document, kept in every version that was loaded. The rows
 * of maker, model and grammar are made from the current one.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
insert into role (id, name) values ('switch', 'switch');

create table pack (
	id uuid primary key,
	maker_id text not null references maker,
	version text not null check (version ~ '^[0-9A-Za-z.+_-]{1,64}$'),
	text text not null check (length(text) <= 2097152),
	sha256 bytea not null check (length(sha256) = 32),
	loaded_at timestamptz not null default now(),
	loaded_by text not null,
	unique (maker_id, version),
	unique (id, maker_id)
);
alter table maker add column pack_id uuid, add foreign key (pack_id, id) references pack (id, maker_id);

alter table model
	add column talk text,
	add column dialect_rules jsonb not null default '{}' check (jsonb_typeof(dialect_rules) = 'object');
update model set dialect_rules = jsonb_build_object('ordered', to_jsonb(ordered_heads)) where ordered_heads <> '{}';
alter table model drop column ordered_heads;
alter table model drop constraint model_dialect_check, add check (dialect in ('indented', 'braced', 'json', 'set', 'xml'));

create function limen_maker_customers(maker text) returns setof uuid language sql stable security definer
	set search_path = pg_catalog, public as 'select distinct customer_id from unit where maker_id = maker';
revoke all on function limen_maker_customers(text) from public;
grant execute on function limen_maker_customers(text) to limen_people, limen_setup;

grant select, insert on pack to limen_people, limen_setup;
grant select on pack to limen_bootstrap;
grant insert, update on maker, grammar to limen_people;
grant insert, update, delete on model, model_role to limen_people;
grant update on maker, model to limen_setup;
grant delete on model, model_role to limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
revoke insert, update on maker, grammar from limen_people;
revoke insert, update, delete on model, model_role from limen_people;
drop function limen_maker_customers(text);
alter table model add column ordered_heads text[] not null default '{}';
update model set ordered_heads = array(select jsonb_array_elements_text(dialect_rules->'ordered')) where dialect_rules ? 'ordered';
alter table model drop constraint model_dialect_check, add check (dialect in ('indented', 'braced', 'json')),
	drop column talk, drop column dialect_rules;
alter table maker drop column pack_id;
drop table pack;
delete from role where id = 'switch'`);
}
