import type { Knex } from 'knex';

/**
 * What a release would change, computed in the background for whoever asked; pools of addresses and
 * numbers with what is allotted from them; and values that people give.
 */
const WALLED = ['pool', 'allotment'];

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create extension if not exists btree_gist;

create table impact (
	id uuid primary key,
	revision_id uuid not null references profile_revision on delete cascade,
	-- the draft as it was when this was asked for
	edit integer not null,
	-- it shows what this person may see, and is theirs
	person_id uuid not null references person,
	state text not null default 'working' check (state in ('working', 'done', 'failed')),
	done integer not null default 0,
	total integer not null default 0,
	result jsonb,
	begun_at timestamptz not null default now(),
	touched_at timestamptz not null default now(),
	unique (revision_id, edit, person_id)
);
alter table impact enable row level security;
create policy own on impact to limen_people using (person_id = (select limen_person()));
create policy system on impact to limen_setup using (true);
grant select, insert, update, delete on impact to limen_people;
grant select on impact to limen_setup;

create table pool (
	id uuid primary key,
	customer_id uuid not null references customer,
	name text not null check (name <> '' and length(name) <= 120),
	-- the field that it gives values to, and where
	field text not null check (field ~ '^[a-z][a-z0-9_]{0,62}$'),
	scope text not null check (scope in ('site', 'position')),
	-- a block that is cut into blocks of one length, or a range of numbers
	block cidr,
	length integer,
	first_number bigint,
	last_number bigint,
	policy text not null default 'next-free' check (policy in ('next-free', 'reserve-for-growth')),
	-- told when fewer than so many are left
	warn_below integer not null default 10 check (warn_below >= 0),
	created_at timestamptz not null default now(),
	unique (id, customer_id),
	check ((block is null) = (length is null) and (first_number is null) = (last_number is null) and (block is null) <> (first_number is null)),
	check (block is null or (length >= masklen(block) and length <= case family(block) when 4 then 32 else 128 end)),
	check (first_number is null or (first_number >= 0 and last_number >= first_number and last_number < 4294967296))
);
create unique index pool_field on pool (customer_id, field);
create unique index pool_name on pool (customer_id, lower(name));
-- two pools of a customer never hold the same address
alter table pool add constraint pools_apart exclude using gist (customer_id with =, (block::inet) inet_ops with &&) where (block is not null);

create table allotment (
	id uuid primary key,
	pool_id uuid not null,
	customer_id uuid not null,
	block cidr,
	number bigint,
	-- to whom; what was in use before Limen has a label instead
	site_id uuid,
	position_id uuid,
	label text not null default '' check (length(label) <= 200),
	allotted_at timestamptz not null default now(),
	foreign key (pool_id, customer_id) references pool (id, customer_id) on delete cascade,
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	check ((block is null) <> (number is null)),
	check (num_nonnulls(site_id, position_id) <= 1 and (num_nonnulls(site_id, position_id) = 1 or label <> ''))
);
alter table position add unique (id, customer_id);
alter table allotment add foreign key (position_id, customer_id) references position (id, customer_id) on delete cascade;
create unique index allotment_site on allotment (pool_id, site_id) where site_id is not null;
create unique index allotment_position on allotment (pool_id, position_id) where position_id is not null;
create unique index allotment_number on allotment (pool_id, number) where number is not null;
-- within a customer's routed space no address is allotted twice
alter table allotment add constraint allotments_apart exclude using gist (customer_id with =, (block::inet) inet_ops with &&) where (block is not null);

grant select, insert, update, delete on pool, allotment to limen_people, limen_setup;
grant update (values) on customer to limen_people;

-- how many customers that the person does not work for have positions with a profile: a number, and no more
create function limen_followed_elsewhere(profile uuid) returns integer
language plpgsql stable security definer set search_path = public, pg_temp as $$
begin
	if limen_sees_all() then return 0; end if;
	return (select count(distinct customer_id)::int from position where profile_id = profile and not customer_id = any (limen_changes()));
end $$;
revoke execute on function limen_followed_elsewhere from public;
grant execute on function limen_followed_elsewhere to limen_people, limen_setup;
`);
	for (const table of WALLED) {
		const seen = `(select limen_sees_all()) or customer_id = any ((select limen_reads())::uuid[])`;
		const changed = `(select limen_sees_all()) or customer_id = any ((select limen_changes())::uuid[])`;
		await knex.raw(`
alter table ${table} enable row level security;
create policy system on ${table} to limen_setup using (true);
create policy read on ${table} for select to limen_people using (${seen});
create policy add on ${table} for insert to limen_people with check (${changed});
create policy change on ${table} for update to limen_people using (${changed}) with check (${changed});
create policy remove on ${table} for delete to limen_people using (${changed});
`);
	}
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
revoke update (values) on customer from limen_people;
drop function limen_followed_elsewhere;
drop table allotment, pool, impact;
alter table position drop constraint position_id_customer_id_key;
`);
}
