import type { Knex } from 'knex';

/** All the host keys that a unit reported, each of one unit; by any of them it is known when it dials home. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- the index of the column has the name that the table is to have
alter index unit_host_key rename to unit_host_key_before;
create table unit_host_key (
	-- as OpenSSH writes it: base64 of the key's own encoding
	key text primary key check (length(key) <= 4096),
	unit_id uuid not null references unit,
	customer_id uuid not null references customer,
	algorithm text not null check (algorithm ~ '^[a-z0-9@.-]{1,64}$'),
	reported_at timestamptz not null default now()
);
create index on unit_host_key (unit_id);
insert into unit_host_key (key, unit_id, customer_id, algorithm)
	select host_key, id, customer_id, host_key_algorithm from unit where host_key is not null;
alter table unit drop column host_key, drop column host_key_algorithm;

grant select, insert, delete on unit_host_key to limen_bootstrap;
grant select, delete on unit_host_key to limen_people;
grant select, insert, update, delete on unit_host_key to limen_setup;
alter table unit_host_key enable row level security;
create policy system on unit_host_key to limen_bootstrap, limen_setup using (true);
create policy read on unit_host_key for select to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[]));
create policy remove on unit_host_key for delete to limen_people
	using ((select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[]));
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table unit add column host_key text, add column host_key_algorithm text,
	add check ((host_key is null) = (host_key_algorithm is null));
update unit set host_key = k.key, host_key_algorithm = k.algorithm
	from (select distinct on (unit_id) * from unit_host_key order by unit_id, reported_at desc) k where k.unit_id = unit.id;
drop table unit_host_key;
create unique index unit_host_key on unit (host_key) where host_key is not null;
grant update (host_key, host_key_algorithm) on unit to limen_bootstrap`);
}
