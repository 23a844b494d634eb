import type { Knex } from 'knex';
import { wall } from './help/walls';

/** The firm's signing key, and the handovers that it sealed: made once, never changed. */
const EVERYTHING = { limen_bootstrap: 'select', limen_setup: 'select, insert' };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table owner_key (
	id uuid primary key,
	certificate text not null,
	-- sealed
	private_key text not null,
	is_brought boolean not null default false,
	made_at timestamptz not null default now(),
	retired_at timestamptz
);
create unique index one_owner_key_signs on owner_key ((true)) where retired_at is null;
alter table owner_key enable row level security;
create policy all_read on owner_key for select to limen_people using (true);
create policy administrators_add on owner_key for insert to limen_people with check ((select limen_sees_all()));
create policy administrators_change on owner_key for update to limen_people using ((select limen_sees_all()));
create policy system on owner_key to limen_bootstrap, limen_setup using (true);
grant select, insert, update on owner_key to limen_people, limen_bootstrap, limen_setup;

create table handover (
	id uuid primary key,
	site_id uuid not null,
	customer_id uuid not null,
	proof_id uuid references site_proof on delete set null,
	number integer not null check (number > 0),
	made_at timestamptz not null,
	made_by text not null,
	state text not null check (state in ('held', 'failed')),
	open_points integer not null,
	accepted_by text not null,
	key_id uuid not null references owner_key,
	-- to the letter what was signed
	record bytea not null,
	record_signature bytea not null,
	record_sha256 text not null check (record_sha256 ~ '^[0-9a-f]{64}$'),
	pdf bytea not null,
	pdf_signature bytea not null,
	unique (site_id, number),
	foreign key (site_id, customer_id) references site (id, customer_id)
);
create index on handover (customer_id, made_at desc);
create function handovers_stay() returns trigger language plpgsql as $$
begin
	raise exception 'a handover never changes' using errcode = 'integrity_constraint_violation';
end $$;
create trigger a_handover_never_changes before update of site_id, customer_id, number, made_at, made_by, state, accepted_by, key_id, record, record_signature, record_sha256, pdf, pdf_signature or delete on handover
	for each row execute function handovers_stay();

create function limen_signed_by(key uuid) returns integer
language sql stable security definer set search_path = public, pg_temp as $$ select count(*)::int from handover where key_id = key $$;
revoke execute on function limen_signed_by from public;
grant execute on function limen_signed_by to limen_people, limen_bootstrap, limen_setup;
`);
	await wall(knex, { table: 'handover', people: ['insert'], system: EVERYTHING });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop function limen_signed_by;
drop table handover, owner_key;
drop function handovers_stay;
`);
}
