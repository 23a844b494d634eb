import type { Knex } from 'knex';

const BEFORE = `'call', 'report', 'call-home', 'proof', 'withheld', 'cancel', 'lost', 'back', 'redirect'`;

/** Files for removable storage that were made for a unit, and keys of strangers of which somebody says whose they are. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table run_event drop constraint run_event_kind_check;
alter table run_event add constraint run_event_kind_check check (kind in (${BEFORE}, 'bundle', 'key'));
-- of somebody who dialled home with a key that no unit reported: its algorithm, and the key in base64
-- when administrators were told that its certificate ends soon
alter table owner_key add column end_told_at timestamptz;
grant select (id, certificate, retired_at, end_told_at), update (end_told_at) on owner_key to limen_sign_in;
create policy letters on owner_key to limen_sign_in using (true);
alter table caller add column host_key text check (length(host_key) <= 6000)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table caller drop column host_key;
drop policy letters on owner_key;
revoke select (id, certificate, retired_at) on owner_key from limen_sign_in;
alter table owner_key drop column end_told_at;
delete from run_event where kind in ('bundle', 'key');
alter table run_event drop constraint run_event_kind_check;
alter table run_event add constraint run_event_kind_check check (kind in (${BEFORE}))`);
}
