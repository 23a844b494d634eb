import type { Knex } from 'knex';

/** The append-only record of who did what. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table ledger_entry (
	id bigint generated always as identity primary key,
	at timestamptz not null default now(),
	actor text not null check (actor <> ''),
	address inet,
	act text not null check (act <> ''),
	customer_id uuid references customer,
	subject_kind text not null,
	subject_id text not null,
	words text not null,
	detail jsonb not null default '{}'
);
create index on ledger_entry (subject_kind, subject_id);
create index on ledger_entry (customer_id, id);

create function refuse_change_of_ledger() returns trigger language plpgsql as $$
begin
	raise exception 'the ledger is append-only' using errcode = 'integrity_constraint_violation';
end $$;
create trigger ledger_is_append_only before update or delete on ledger_entry
	for each row execute function refuse_change_of_ledger();
create trigger ledger_is_never_emptied before truncate on ledger_entry
	for each statement execute function refuse_change_of_ledger();
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop table ledger_entry; drop function refuse_change_of_ledger');
}
