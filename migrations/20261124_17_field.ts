import type { Knex } from 'knex';

/** What technicians did on their phones, with or without signal: bindings, notes and photos, each once. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table field_entry (
	-- made on the phone, so that sending it twice does no harm
	id uuid primary key,
	person_id uuid not null references person,
	customer_id uuid not null,
	site_id uuid not null,
	position_id uuid,
	kind text not null check (kind in ('bind', 'note', 'photo')),
	serial text check (length(serial) <= 64),
	words text not null default '' check (length(words) <= 2000),
	photo bytea check (length(photo) <= 1500000),
	-- by the server's clock; and by how much the phone's was off
	done_at timestamptz not null,
	received_at timestamptz not null default now(),
	clock_off_ms bigint,
	outcome text not null check (outcome in ('done', 'conflict', 'refused')),
	outcome_words text not null default '' check (length(outcome_words) <= 1000),
	-- how a conflict ended
	resolution text check (resolution in ('theirs', 'mine')),
	resolved_at timestamptz,
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	check ((kind = 'photo') = (photo is not null)),
	check ((kind = 'bind') = (serial is not null)),
	check ((resolution is null) = (resolved_at is null))
);
create index on field_entry (site_id, done_at desc);
create index on field_entry (person_id) where outcome = 'conflict' and resolution is null;

grant select, insert, update on field_entry to limen_people;
grant select, insert, update, delete on field_entry to limen_setup;
alter table field_entry enable row level security;
create policy system on field_entry to limen_setup using (true);
`);
	const seen = `(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])`;
	const changed = `(select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[])`;
	await knex.raw(`
create policy read on field_entry for select to limen_people using (${seen});
create policy add on field_entry for insert to limen_people with check (${changed});
create policy change on field_entry for update to limen_people using (${changed}) with check (${changed});
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table field_entry;
`);
}
