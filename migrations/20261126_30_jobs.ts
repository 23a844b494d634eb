import type { Knex } from 'knex';

/**
 * What jobs and their clean-up need in the application's own tables. The queue itself lies in a schema and
 * with a role of its own, made by the start command after the migrations.
 */
const CLEANED: Record<string, string> = {
	session: 'delete',
	ticket: 'delete',
	idempotency: 'delete',
	rate_limit: 'delete',
	impact: 'delete',
	caller: 'delete',
	dialogue: 'delete',
	reading: 'delete',
	errand: 'delete',
	run_event: 'delete',
	process: 'delete',
	unit_connection: '',
	mail: 'delete'
};

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
do $$ begin
	if not exists (select from pg_roles where rolname = 'limen_clean_up') then create role limen_clean_up nologin; end if;
exception when duplicate_object or unique_violation then null; -- another database of this server was just set up
end $$`);
	await knex.raw(`
-- the queue's names for what works in this process: they are let go when it has ended
alter table process add column workers text[] not null default '{}', add column workers_released boolean not null default false;
-- the queue knows when a letter is tried again; null until it is tried no more
drop index mail_next_at_idx;
alter table mail drop column next_at, add column given_up_at timestamptz;
create function limen_send_letter() returns trigger language plpgsql as $$
begin
	perform limen_jobs.enqueue('send a letter', json_build_object('letter', new.id::text), null, 'letter ' || new.id);
	return null;
end $$;
create trigger letter_waits after insert on mail for each row execute function limen_send_letter();
create index on mail (id) where sent_at is null and given_up_at is null;

grant usage on schema public to limen_clean_up;
${Object.entries(CLEANED)
	.map(([table, act]) => `grant select${act && `, ${act}`} on ${table} to limen_clean_up;`)
	.join('\n')}
`);
	const { rows } = await knex.raw(
		`select relname from pg_class where relname = any (?::text[]) and relrowsecurity and relnamespace = 'public'::regnamespace`,
		[Object.keys(CLEANED)]
	);
	for (const { relname } of rows)
		await knex.raw(`create policy clean_up on ${relname} to limen_clean_up using (true)`);
}

export async function down(knex: Knex): Promise<void> {
	const { rows } = await knex.raw(`select tablename from pg_policies where policyname = 'clean_up'`);
	for (const { tablename } of rows) await knex.raw(`drop policy clean_up on ${tablename}`);
	await knex.raw(`
revoke all on all tables in schema public from limen_clean_up;
revoke usage on schema public from limen_clean_up;
drop trigger letter_waits on mail;
drop function limen_send_letter;
drop index mail_id_idx;
alter table mail drop column given_up_at, add column next_at timestamptz not null default now();
create index on mail (next_at) where sent_at is null;
alter table process drop column workers, drop column workers_released`);
}
