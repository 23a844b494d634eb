import type { Knex } from 'knex';

/** A customer can have a signing key of its own: it seals its handovers, and its units believe it alone. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table owner_key add column customer_id uuid references customer;
drop index one_owner_key_signs;
create unique index one_owner_key_signs on owner_key (customer_id) nulls not distinct where retired_at is null;
drop policy all_read on owner_key;
create policy read on owner_key for select to limen_people
	using (customer_id is null or (select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]))`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy read on owner_key;
create policy all_read on owner_key for select to limen_people using (true);
drop index one_owner_key_signs;
update owner_key set retired_at = now() where customer_id is not null and retired_at is null;
create unique index one_owner_key_signs on owner_key ((true)) where retired_at is null;
alter table owner_key drop column customer_id`);
}
