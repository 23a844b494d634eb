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

create index unit_newest on unit (claimed_at desc, serial);
-- finding by any part: groups of three characters of what is printed on a label
create extension if not exists pg_trgm;
-- a batch of many thousands is first only noted, and put in its places later: intake waits for neither
create index unit_serial_part on unit using gin (serial gin_trgm_ops) with (gin_pending_list_limit = 16384);
create function limen_plain_mac(mac macaddr) returns text language sql immutable as $$ select replace(mac::text, ':', '') $$;
create index unit_mac_part on unit using gin (limen_plain_mac(mac) gin_trgm_ops) with (gin_pending_list_limit = 16384) where mac is not null;

-- in exactly the order in which they are asked for
drop index claim_request_maker_id_next_at_idx;
create index claim_request_turn on claim_request (maker_id, next_at, unit_id);

-- Row-level security lets no index look for a part before it has looked at every row; so this looks first,
-- among the customers that whoever asks may see, and tells nothing but which units they are.
create function limen_units_like(part text, mac_part text, wanted uuid, most integer) returns setof uuid
language plpgsql stable security definer set search_path = public, pg_temp as $$
declare
	sees_all boolean := limen_sees_all() or current_setting('role') = 'limen_setup';
	reads uuid[] := limen_reads();
begin
	return query select id from unit where serial like part and (wanted is null or customer_id = wanted)
		and (sees_all or customer_id = any (reads)) limit most;
	if mac_part is not null then
		return query select id from unit where limen_plain_mac(mac) like mac_part and (wanted is null or customer_id = wanted)
			and (sees_all or customer_id = any (reads)) limit most;
	end if;
end $$;
revoke execute on function limen_units_like from public;
grant execute on function limen_units_like to limen_people, limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop function limen_units_like;
drop index claim_request_turn;
create index on claim_request (maker_id, next_at);
drop index unit_mac_part, unit_serial_part, unit_newest;
drop function limen_plain_mac;
drop table saved_view;
`);
}
