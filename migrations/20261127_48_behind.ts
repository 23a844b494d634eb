import type { Knex } from 'knex';
import { wall } from './help/walls';

const EVERYTHING = {
	limen_bootstrap: 'select, insert, update, delete',
	limen_setup: 'select, insert, update, delete'
};
const GIVEN = `
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at, revision_id
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at, send.revision_id
	from send join run on run.id = send.run_id where send.state = 'confirmed' and send.kind = 'due'`;

/** What units should run without having been sent it, and which are behind what is released and planned now. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
-- what a unit runs was made the intention: the plan says the same since
create table intention (
	id uuid primary key,
	unit_id uuid not null references unit,
	position_id uuid not null references position on delete cascade,
	customer_id uuid not null references customer,
	run_id uuid not null references run,
	revision_id uuid references profile_revision,
	-- both sealed
	rendering text not null,
	checks text,
	at timestamptz not null default clock_timestamp(),
	accepted_by text not null
);
create index on intention (position_id, unit_id, at desc);
create or replace view served with (security_invoker = true) as ${GIVEN}
	union all
	select intention.unit_id, intention.position_id, intention.customer_id, intention.rendering, intention.checks, run.target_version, run.number, intention.at, intention.revision_id
	from intention join run on run.id = intention.run_id;

-- whether what is due is what each unit should run; looked at again when anything that it is made of is another
create table unit_due (
	unit_id uuid primary key references unit,
	customer_id uuid not null references customer,
	position_id uuid not null references position on delete cascade,
	inputs text not null,
	is_behind boolean not null,
	why text[] not null check (why <@ array['revision', 'values', 'firmware']),
	given_revision uuid references profile_revision on delete set null,
	target_version text,
	problem text check (length(problem) <= 2000),
	since timestamptz not null default now(),
	looked_at timestamptz not null default now(),
	check (is_behind = (why <> '{}'))
);
create index on unit_due (customer_id) where is_behind;
create index on unit_due (position_id);
`);
	await wall(knex, {
		table: 'intention',
		people: ['insert'],
		system: { ...EVERYTHING, limen_clean_up: 'select, delete' }
	});
	await wall(knex, { table: 'unit_due', system: EVERYTHING });
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop view served;
create view served with (security_invoker = true) as
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at
	from send join run on run.id = send.run_id where send.state = 'confirmed' and send.kind = 'due';
grant select on served to limen_people, limen_bootstrap, limen_setup;
drop table unit_due, intention`);
}
