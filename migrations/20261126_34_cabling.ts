import type { Knex } from 'knex';
import { wall } from './help/walls';

/** Cabling, of sites and of patterns: rows between ports, which are named by what they are for. */
const PORT = `'^[a-z][a-z0-9_]{0,40}$'`;
const EVERYTHING = 'select, insert, update, delete';
const SYSTEM = { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING };

export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
alter table position add unique (id, site_id);
-- whether somebody decided on its cabling; until then it is what would be proposed
alter table site add column is_cabled boolean not null default false;
create table cable (
	id uuid primary key,
	site_id uuid not null,
	customer_id uuid not null,
	near_position uuid not null,
	near_port text not null check (near_port ~ ${PORT}),
	-- null: the provider's socket
	far_position uuid check (far_position <> near_position),
	far_port text check (far_port ~ ${PORT}),
	foreign key (site_id, customer_id) references site (id, customer_id) on delete cascade,
	foreign key (near_position, site_id) references position (id, site_id) on delete cascade,
	foreign key (far_position, site_id) references position (id, site_id) on delete cascade,
	unique (near_position, near_port),
	unique (far_position, far_port),
	check ((far_position is null) = (far_port is null))
);
create index on cable (site_id);

-- a port takes one cable, whichever end of it that is
create function check_cable_ports() returns trigger language plpgsql as $$
begin
	if exists (
		select from cable where id <> new.id and (
			(near_position = new.far_position and near_port = new.far_port)
			or (far_position = new.near_position and far_port = new.near_port))
	) then
		raise exception 'a port takes one cable' using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create constraint trigger a_port_takes_one_cable after insert or update on cable
	for each row execute function check_cable_ports();

alter table site_pattern add column is_cabled boolean not null default false;
alter table pattern_position add unique (id, pattern_id);
create table pattern_cable (
	id uuid primary key,
	pattern_id uuid not null,
	customer_id uuid not null,
	near_place uuid not null,
	near_port text not null check (near_port ~ ${PORT}),
	far_place uuid check (far_place <> near_place),
	far_port text check (far_port ~ ${PORT}),
	foreign key (pattern_id, customer_id) references site_pattern (id, customer_id) on delete cascade,
	foreign key (near_place, pattern_id) references pattern_position (id, pattern_id) on delete cascade,
	foreign key (far_place, pattern_id) references pattern_position (id, pattern_id) on delete cascade,
	unique (near_place, near_port),
	unique (far_place, far_port),
	check ((far_place is null) = (far_port is null))
);
create index on pattern_cable (pattern_id);
`);
	for (const table of ['cable', 'pattern_cable'])
		await wall(knex, { table, people: ['insert', 'update', 'delete'], system: SYSTEM });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop table pattern_cable, cable;
drop function check_cable_ports;
alter table pattern_position drop constraint pattern_position_id_pattern_id_key;
alter table site_pattern drop column is_cabled;
alter table site drop column is_cabled;
alter table position drop constraint position_id_site_id_key`);
}
