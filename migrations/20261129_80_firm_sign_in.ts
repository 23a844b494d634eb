import type { Knex } from 'knex';

/** People can come in through the firm's own identity provider; what its groups may do here. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- who they are there: the provider and its own name for them
alter table person add column firm_subject text unique check (length(firm_subject) between 3 and 800),
	-- what came with the groups, and goes with them
	add column administrator_from_groups boolean not null default false,
	add check (administrator or not administrator_from_groups);
alter table membership add column from_groups boolean not null default false;

create table firm_group (
	id uuid primary key,
	name text not null check (name <> '' and length(name) <= 300),
	customer_id uuid references customer on delete cascade,
	duty text check (duty in ('technician', 'coordinator', 'engineer', 'auditor', 'reader')),
	-- without both: an administrator
	check ((customer_id is null) = (duty is null))
);
create unique index firm_group_once on firm_group (name, coalesce(customer_id, '00000000-0000-0000-0000-000000000000'::uuid));
alter table firm_group enable row level security;
grant select, insert, delete on firm_group to limen_people;
create policy administrators on firm_group to limen_people using ((select limen_sees_all())) with check ((select limen_sees_all()));
grant select on firm_group to limen_sign_in;
create policy sign_in on firm_group for select to limen_sign_in using (true);
grant select, insert, update, delete on firm_group to limen_setup;
create policy setup on firm_group to limen_setup using (true);
grant select (firm_subject, administrator_from_groups), update (administrator_from_groups) on person to limen_people;
grant insert, update, delete on membership to limen_sign_in;
create policy sign_in_by_groups on membership to limen_sign_in using (true);`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop policy sign_in_by_groups on membership;
revoke insert, update, delete on membership from limen_sign_in;
drop table firm_group;
alter table membership drop column from_groups;
alter table person drop column firm_subject, drop column administrator_from_groups`);
}
