import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * Failures that are the same, and what helped. A signature is seen by who sees a run that failed with it: its words are
 * those of that run, without what is the unit's own.
 */
const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table failure_signature (
	id uuid primary key,
	key text not null unique check (length(key) <= 600),
	step text not null references run_step,
	kind text not null,
	words text not null check (length(words) <= 300),
	-- the line behind it, where a line was refused: of a part's revision, or of the profile's own text (no part)
	part_id uuid references part on delete cascade,
	part_revision_id uuid references part_revision on delete cascade,
	profile_revision_id uuid references profile_revision on delete cascade,
	line integer check (line > 0),
	first_at timestamptz not null default now(),
	check ((part_id is null) = (part_revision_id is null)),
	check ((line is null) = (part_revision_id is null and profile_revision_id is null)),
	check (part_revision_id is null or profile_revision_id is null)
);
create index on failure_signature (step, kind);

alter table run add column signature_id uuid references failure_signature;
create index on run (signature_id, customer_id) where signature_id is not null;
create index run_to_sign on run (ended_at) where outcome = 'failed' and signature_id is null;

alter table failure_signature enable row level security;
grant select on failure_signature to limen_people;
create policy read on failure_signature for select to limen_people using (exists (select from run where run.signature_id = failure_signature.id));
grant select, insert, update, delete on failure_signature to limen_bootstrap, limen_setup;
create policy system on failure_signature to limen_bootstrap, limen_setup using (true);

-- of each failed run whose unit was tried again: what people did before that, and how it ended
create table failure_outcome (
	run_id uuid primary key,
	customer_id uuid not null,
	signature_id uuid not null references failure_signature on delete cascade,
	acts text[] not null,
	came_through boolean not null,
	at timestamptz not null,
	foreign key (run_id, customer_id) references run (id, customer_id) on delete cascade
);
create index on failure_outcome (signature_id);

grant select on ledger_entry to limen_bootstrap;
create policy failures_read on ledger_entry for select to limen_bootstrap using (true);
grant select on part, part_revision to limen_bootstrap;
`);
	await wall(knex, { table: 'failure_outcome', system: EVERYTHING });
	// What helped at other customers' units counts as well: numbers, and nothing else of them
	await knex.raw(`
create function limen_what_helped(signatures uuid[]) returns table (signature_id uuid, acts text[], tried integer, helped integer)
language sql stable security definer set search_path = public, pg_temp as $$
	select signature_id, acts, count(*)::int, count(*) filter (where came_through)::int
	from failure_outcome where signature_id = any (signatures) group by 1, 2
$$;
revoke execute on function limen_what_helped from public;
grant execute on function limen_what_helped to limen_people, limen_bootstrap, limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop function limen_what_helped;
drop table failure_outcome;
alter table run drop column signature_id;
drop table failure_signature;
drop policy failures_read on ledger_entry;
revoke select on ledger_entry from limen_bootstrap;
`);
}
