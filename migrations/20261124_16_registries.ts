import type { Knex } from 'knex';

/**
 * Makers' registries say whose a unit is. What was asked of one and not yet answered waits here, with the
 * claim code sealed, and is asked again after a restart; rows that could not be taken in are kept sealed,
 * for they hold claim codes too, until somebody mends or drops them.
 */
const ROLE = 'limen_registry';

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
do $$ begin
	if not exists (select from pg_roles where rolname = '${ROLE}') then create role ${ROLE} nologin; end if;
exception when duplicate_object or unique_violation then null;
end $$`);
	await knex.raw(`
alter table unit
	add column ownership text not null default 'confirmed' check (ownership in ('asked', 'confirmed', 'refused')),
	add column ownership_words text not null default '' check (length(ownership_words) <= 500),
	add check (ownership <> 'refused' or ownership_words <> '');
create index unit_not_confirmed on unit (customer_id, ownership) where ownership <> 'confirmed';
alter table unit add unique (id, customer_id);

create table claim_request (
	unit_id uuid primary key,
	customer_id uuid not null,
	maker_id text not null references maker,
	-- sealed; gone with the row when the registry has answered
	claim_code text not null,
	attempts integer not null default 0,
	next_at timestamptz not null default now(),
	asked_at timestamptz not null default now(),
	problem text not null default '' check (length(problem) <= 500),
	foreign key (unit_id, customer_id) references unit (id, customer_id) on delete cascade
);
create index on claim_request (maker_id, next_at);
create index on claim_request (customer_id);

-- how it goes with each registry, for whoever waits on it
create table registry_state (
	maker_id text primary key references maker,
	failures integer not null default 0,
	paused_until timestamptz,
	problem text not null default '' check (length(problem) <= 500),
	since timestamptz not null default now()
);

alter table batch_row
	add column raw text,
	add column settled_at timestamptz,
	drop constraint batch_row_verdict_check,
	add constraint batch_row_verdict_check check (verdict in ('already-ours', 'repeated', 'refused', 'malformed', 'unknown-model'));
create index batch_row_open on batch_row (customer_id, batch_id) where raw is not null and settled_at is null;
alter table batch add column heading text, add column taken_by text not null default '';

grant select, insert, update, delete on claim_request to limen_people, limen_setup;
grant select on registry_state to limen_people;
grant select, insert, update, delete on registry_state to limen_setup;
grant usage on schema public to ${ROLE};
grant select on installation, maker, customer to ${ROLE};
grant select, update, delete on claim_request to ${ROLE};
grant select, insert, update on registry_state to ${ROLE};
grant select (id, serial, mac, customer_id, maker_id, batch_id, ownership), update (ownership, ownership_words) on unit to ${ROLE};
grant insert on ledger_entry to ${ROLE};
create policy registry on unit to ${ROLE} using (true);
create policy registry on customer for select to ${ROLE} using (true);
`);
	const seen = `(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])`;
	const changed = `(select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[])`;
	await knex.raw(`
alter table claim_request enable row level security;
create policy system on claim_request to ${ROLE}, limen_setup using (true);
create policy read on claim_request for select to limen_people using (${seen});
create policy add on claim_request for insert to limen_people with check (${changed});
create policy change on claim_request for update to limen_people using (${changed}) with check (${changed});
create policy remove on claim_request for delete to limen_people using (${changed});
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy registry on unit;
drop policy registry on customer;
revoke all on all tables in schema public from ${ROLE};
alter table batch drop column taken_by, drop column heading;
delete from batch_row where verdict = 'unknown-model';
alter table batch_row drop constraint batch_row_verdict_check, drop column settled_at, drop column raw,
	add constraint batch_row_verdict_check check (verdict in ('already-ours', 'repeated', 'refused', 'malformed'));
drop table registry_state, claim_request;
drop index unit_not_confirmed;
alter table unit drop constraint unit_id_customer_id_key, drop column ownership_words, drop column ownership;
`);
}
