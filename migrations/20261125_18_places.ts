import type { Knex } from 'knex';

/**
 * Where units go: how a supplier's lists are read, where units were shipped and whence they were heard,
 * rules by which new units fill open positions, and what such rules propose.
 */
const WALLED = ['binding_rule', 'binding_proposal'];

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- the network of an address, as wide as one line of a provider's mostly is: what calls from one is at one place
create function limen_network(address inet) returns cidr language sql immutable as
	$$ select network(set_masklen(address, case family(address) when 4 then 24 else 56 end)) $$;

-- the firm's suppliers, no customer's: by their lists' headings, what each column is about
create table supplier_layout (
	id uuid primary key,
	supplier text not null check (supplier <> '' and length(supplier) <= 120),
	signature text not null check (length(signature) <= 500),
	columns jsonb not null check (jsonb_typeof(columns) = 'array'),
	saved_at timestamptz not null default now()
);
create unique index supplier_layout_of on supplier_layout (lower(supplier), signature);
create index on supplier_layout (signature);
alter table supplier_layout enable row level security;
create policy system on supplier_layout to limen_setup using (true);
create policy staff on supplier_layout to limen_people using ((select limen_sees_all()) or (select limen_is_staff()));
grant select, insert, update on supplier_layout to limen_people, limen_setup;

alter table unit
	add column shipped_site_id uuid,
	-- from where it was last heard, as seen from here
	add column heard_address inet,
	add foreign key (shipped_site_id, customer_id) references site (id, customer_id) on delete set null (shipped_site_id);
create index on unit (shipped_site_id) where shipped_site_id is not null;
create index unit_heard_network on unit (customer_id, limen_network(heard_address)) where heard_address is not null;
grant update (heard_address) on unit to limen_bootstrap;

-- which units the rule is about and what they fill; the nearest appointment first
create table binding_rule (
	id uuid primary key,
	customer_id uuid not null references customer,
	model_id text not null references model,
	role_id text not null references role,
	-- whether somebody approves each before it is bound
	held boolean not null,
	created_at timestamptz not null default now(),
	unique (customer_id, model_id, role_id),
	unique (id, customer_id),
	foreign key (model_id, role_id) references model_role (model_id, role_id)
);
create table binding_proposal (
	unit_id uuid primary key,
	position_id uuid not null unique,
	rule_id uuid not null,
	customer_id uuid not null,
	made_at timestamptz not null default now(),
	foreign key (unit_id, customer_id) references unit (id, customer_id) on delete cascade,
	foreign key (position_id, customer_id) references position (id, customer_id) on delete cascade,
	foreign key (rule_id, customer_id) references binding_rule (id, customer_id) on delete cascade
);
create index on binding_proposal (customer_id);
-- what is bound in the meantime is not proposed any more
create function drop_proposal_when_bound() returns trigger language plpgsql as $$
begin
	delete from binding_proposal where unit_id = new.unit_id or position_id = new.position_id;
	return new;
end $$;
create trigger drop_proposal after insert on binding for each row execute function drop_proposal_when_bound();
grant select, insert, update, delete on binding_rule, binding_proposal to limen_people, limen_setup;
`);
	const seen = `(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])`;
	const changed = `(select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[])`;
	for (const table of WALLED)
		await knex.raw(`
alter table ${table} enable row level security;
create policy system on ${table} to limen_setup using (true);
create policy read on ${table} for select to limen_people using (${seen});
create policy add on ${table} for insert to limen_people with check (${changed});
create policy change on ${table} for update to limen_people using (${changed}) with check (${changed});
create policy remove on ${table} for delete to limen_people using (${changed});
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop trigger drop_proposal on binding;
drop function drop_proposal_when_bound;
drop table binding_proposal, binding_rule, supplier_layout;
drop index unit_heard_network;
alter table unit drop column heard_address, drop column shipped_site_id;
drop function limen_network;
`);
}
