import type { Knex } from 'knex';

/**
 * Each ledger entry is chained to the one before it by hash: hash = SHA-256(previous hash, canonical
 * text). The head, one row that nobody but the owner can touch, puts entries in one order and tells
 * when the end was cut off.
 */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table ledger_entry disable trigger ledger_is_append_only;
alter table ledger_entry alter column id drop identity,
	add column person_id uuid references person,
	add column token_id uuid references service_token,
	add column before jsonb,
	add column after jsonb,
	add column reason text,
	add column result text not null default 'done' check (result in ('done', 'refused')),
	add column hash bytea check (length(hash) = 32);
create index on ledger_entry (person_id, id);

create table ledger_head (
	single boolean primary key default true check (single),
	id bigint not null,
	hash bytea not null
);
insert into ledger_head (id, hash) values (0, decode(repeat('00', 32), 'hex'));

-- jsonb writes itself in one way only, whatever way it was given
create function ledger_hash(previous bytea, entry ledger_entry) returns bytea language sql immutable as $$
	select sha256(previous || convert_to(jsonb_build_array(
		entry.id, extract(epoch from entry.at), entry.actor, entry.person_id, entry.token_id, host(entry.address), entry.act,
		entry.customer_id, entry.subject_kind, entry.subject_id, entry.words, entry.detail, entry.before, entry.after,
		entry.reason, entry.result
	)::text, 'UTF8'))
$$;

create function chain_ledger_entry() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
declare
	head ledger_head;
begin
	select * into head from ledger_head for update;
	new.id := head.id + 1;
	new.hash := ledger_hash(head.hash, new);
	update ledger_head set id = new.id, hash = new.hash;
	return new;
end $$;

do $$
declare
	entry ledger_entry;
	head ledger_head;
begin
	for entry in select * from ledger_entry order by id loop
		select * into head from ledger_head;
		update ledger_entry set id = head.id + 1 where id = entry.id returning * into entry;
		update ledger_entry set hash = ledger_hash(head.hash, entry) where id = entry.id returning * into entry;
		update ledger_head set id = entry.id, hash = entry.hash;
	end loop;
end $$;

alter table ledger_entry alter column hash set not null;
create trigger ledger_is_chained before insert on ledger_entry for each row execute function chain_ledger_entry();
alter table ledger_entry enable trigger ledger_is_append_only;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop trigger ledger_is_chained on ledger_entry;
drop function chain_ledger_entry, ledger_hash;
drop table ledger_head;
alter table ledger_entry disable trigger ledger_is_append_only;
alter table ledger_entry drop column person_id, drop column token_id, drop column before, drop column after,
	drop column reason, drop column result, drop column hash;
alter table ledger_entry alter column id add generated always as identity;
select setval(pg_get_serial_sequence('ledger_entry', 'id'), (select coalesce(max(id), 0) + 1 from ledger_entry), false);
alter table ledger_entry enable trigger ledger_is_append_only;
`);
}
