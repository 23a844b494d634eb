import type { Knex } from 'knex';
import { wall } from './help/walls';

/**
 * Tunnels: a row between two positions of a customer, with a block of two addresses from a pool and a secret of its own.
 * A place of a pattern can say to which position its sites' tunnels lead.
 */
const READ = { limen_bootstrap: 'select', limen_setup: 'select, insert, update, delete' };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create table tunnel (
	id uuid primary key,
	customer_id uuid not null references customer,
	name text not null check (name ~ '^[a-z][a-z0-9-]{0,23}$'),
	-- the site's end, and the hub's; between two sites it does not matter which is which
	near_position uuid not null,
	far_position uuid not null check (far_position <> near_position),
	block cidr not null check (masklen(block) = case family(block) when 4 then 31 else 127 end),
	secret text not null,
	-- of the secret
	renewed_at timestamptz not null default now(),
	created_at timestamptz not null default now(),
	unique (id, customer_id),
	unique (customer_id, name),
	foreign key (near_position, customer_id) references position (id, customer_id) on delete cascade,
	foreign key (far_position, customer_id) references position (id, customer_id) on delete cascade
);
create unique index tunnel_pair on tunnel (least(near_position, far_position), greatest(near_position, far_position));
create index on tunnel (near_position);
create index on tunnel (far_position);

alter table pool drop constraint pool_scope_check;
alter table pool add constraint pool_scope_check check (scope in ('site', 'position', 'tunnel'));
alter table pool add constraint pool_of_tunnels check (scope <> 'tunnel' or (field = 'tunnels' and length in (31, 127)));
alter table allotment add column tunnel_id uuid;
alter table allotment add foreign key (tunnel_id, customer_id) references tunnel (id, customer_id) on delete cascade;
create unique index allotment_tunnel on allotment (pool_id, tunnel_id) where tunnel_id is not null;
alter table allotment drop constraint allotment_check1;
alter table allotment add constraint allotment_holder check (
	num_nonnulls(site_id, position_id, tunnel_id) <= 1 and (num_nonnulls(site_id, position_id, tunnel_id) = 1 or label <> ''));

alter table pattern_position add column tunnel_to uuid;
alter table pattern_position add foreign key (tunnel_to, customer_id) references position (id, customer_id) on delete set null (tunnel_to);
`);
	await wall(knex, { table: 'tunnel', people: ['insert', 'update', 'delete'], system: READ });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
alter table pattern_position drop column tunnel_to;
delete from allotment where tunnel_id is not null;
delete from pool where scope = 'tunnel';
alter table allotment drop constraint allotment_holder;
alter table allotment drop column tunnel_id;
alter table allotment add constraint allotment_check1 check (num_nonnulls(site_id, position_id) <= 1 and (num_nonnulls(site_id, position_id) = 1 or label <> ''));
alter table pool drop constraint pool_of_tunnels;
alter table pool drop constraint pool_scope_check;
alter table pool add constraint pool_scope_check check (scope in ('site', 'position'));
drop table tunnel;
`);
}
