import type { Knex } from 'knex';
import { wall } from './help/walls';

/** Confirmed sends. Their states and moves are those of core's SEND_MOVES. */
const MOVES: Readonly<Record<string, readonly string[]>> = {
	waiting: ['loading', 'refused', 'let go'],
	loading: ['committing', 'refused', 'let go'],
	committing: ['committed', 'confirming', 'confirmed', 'gone back', 'refused', 'differs', 'let go'],
	committed: ['confirming', 'confirmed', 'gone back', 'differs', 'let go'],
	confirming: ['committed', 'confirmed', 'gone back', 'differs', 'let go']
};
const ENDS = `('confirmed', 'gone back', 'refused', 'differs', 'let go')`;
const EVERYTHING = 'select, insert, update, delete';

export async function up(knex: Knex): Promise<void> {
	const moves = Object.entries(MOVES).flatMap(([from, all]) => all.map((to) => `('${from}', '${to}')`));
	await knex.raw(`
create table send_move (from_state text, to_state text, primary key (from_state, to_state));
insert into send_move values ${moves.join(', ')};

create table send (
	id uuid primary key,
	unit_id uuid not null references unit,
	position_id uuid not null references position,
	customer_id uuid not null references customer,
	run_id uuid not null references run,
	revision_id uuid references profile_revision,
	-- all three sealed: what is sent, what ran when somebody looked, what is asked when it is proven
	intended text not null,
	before text not null,
	checks text,
	timer interval not null check (timer > '0'),
	token text not null unique check (token ~ '^[A-Za-z0-9-]{8,64}$'),
	-- whether what somebody loaded and did not set off is thrown away first
	discards boolean not null default false,
	state text not null default 'waiting',
	committed_at timestamptz,
	found text check (found in ('intended', 'before', 'other')),
	found_at timestamptz,
	found_anew boolean,
	confirm_answered boolean not null default false,
	back_answered boolean not null default false,
	refusal text check (length(refusal) <= 20000),
	-- the connection over which it was set off
	session uuid,
	errand_id uuid references errand on delete set null,
	look_at timestamptz,
	asked_by text not null,
	asked_at timestamptz not null default now(),
	reason text,
	ended_at timestamptz,
	check ((state in ${ENDS}) = (ended_at is not null)),
	check ((state in ('committing', 'committed', 'confirming', 'confirmed', 'gone back', 'differs')) <= (committed_at is not null)),
	check ((found is null) = (found_at is null) and (found is null) = (found_anew is null))
);
create unique index one_send_at_a_time on send (unit_id) where ended_at is null;
create index on send (unit_id, asked_at desc);
create index on send (position_id, unit_id) where state = 'confirmed';

create function check_send_move() returns trigger language plpgsql as $$
begin
	if not exists (select from send_move where from_state = old.state and to_state = new.state) then
		raise exception 'a send does not move from % to %', old.state, new.state using errcode = 'integrity_constraint_violation';
	end if;
	return new;
end $$;
create trigger sends_move_as_core_says before update of state on send
	for each row when (old.state is distinct from new.state) execute function check_send_move();
grant select on send_move to limen_people, limen_bootstrap, limen_setup;
`);
	await wall(knex, {
		table: 'send',
		people: ['insert', 'update'],
		system: { limen_bootstrap: EVERYTHING, limen_setup: EVERYTHING }
	});
	await knex.raw(`
-- what units were given, when they asked and by sends that were confirmed: the last of it is what a unit should run
create view served with (security_invoker = true) as
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, run.target_version, run.number, send.committed_at
	from send join run on run.id = send.run_id where send.state = 'confirmed';
grant select on served to limen_people, limen_bootstrap, limen_setup`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop view served;
drop table send, send_move;
drop function check_send_move`);
}
