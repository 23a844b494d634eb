import type { Knex } from 'knex';

/** Units are given something with a run, by sends, and where what they run is accepted. `last` is how it is told which came after which. */
const given = (last: string, target: (last: string) => string) => `
	select unit_id, position_id, customer_id, rendering, checks, target_version, number, begun_at as at, revision_id${last === 'turn' ? ', turn' : ''}
	from run where rendering is not null
	union all
	select send.unit_id, send.position_id, send.customer_id, send.intended, send.checks, ${target(last === 'turn' ? 'send.turn' : 'send.committed_at')}, run.number, send.committed_at, send.revision_id${last === 'turn' ? ', send.turn' : ''}
	from send join run on run.id = send.run_id where send.state = 'confirmed' and send.kind = 'due'
	union all
	select intention.unit_id, intention.position_id, intention.customer_id, intention.rendering, intention.checks, ${target(`intention.${last}`)}, run.number, intention.at, intention.revision_id${last === 'turn' ? ', intention.turn' : ''}
	from intention join run on run.id = intention.run_id`;
/** A unit that was flashed is to run what it was given last, with its new firmware. */
const served = (last: 'turn' | 'at') => `
create or replace view served with (security_invoker = true) as ${given(last, (before) => `coalesce(flashed_to(run.id, ${before}), run.target_version)`)}
	union all
	select flash.unit_id, flash.position_id, flash.customer_id, given.rendering, given.checks, flash.path[cardinality(flash.path)], given.number, flash.ended_at, given.revision_id${last === 'turn' ? ', flash.turn' : ''}
	from flash cross join lateral (
		select * from (${given(last, () => 'run.target_version')}) given where given.position_id = flash.position_id and given.unit_id = flash.unit_id
			and ${last === 'turn' ? 'given.turn < flash.turn' : 'given.at <= flash.ended_at'}
		order by given.${last} desc limit 1
	) given where flash.state = 'done'`;

/** What a unit was given last is told by turns, which no clock that is put back can change. */
export async function up(knex: Knex): Promise<void> {
	await knex.raw(`
create sequence given_turn;
grant usage on sequence given_turn to limen_people, limen_bootstrap, limen_setup;
alter table run add column turn bigint;
alter table send add column turn bigint;
alter table flash add column turn bigint;
alter table intention add column turn bigint;
with numbered as (
	select id, row_number() over (order by at, id) as turn from (
		select id, begun_at as at from run
		union all select id, committed_at from send where committed_at is not null
		union all select id, ended_at from flash where state = 'done'
		union all select id, at from intention
	) given
), runs as (update run set turn = numbered.turn from numbered where run.id = numbered.id),
sends as (update send set turn = numbered.turn from numbered where send.id = numbered.id),
flashes as (update flash set turn = numbered.turn from numbered where flash.id = numbered.id),
intentions as (update intention set turn = numbered.turn from numbered where intention.id = numbered.id)
select setval('given_turn', greatest(1, (select max(turn) from numbered)));
create function take_turn() returns trigger language plpgsql as $$
begin
	new.turn := nextval('given_turn');
	return new;
end $$;
create trigger runs_take_turns before insert on run for each row execute function take_turn();
create trigger sends_take_turns before insert or update on send
	for each row when (new.committed_at is not null and new.turn is null) execute function take_turn();
create trigger flashes_take_turns before insert or update on flash
	for each row when (new.state = 'done' and new.turn is null) execute function take_turn();
create trigger intentions_take_turns before insert on intention for each row execute function take_turn();
alter table run alter column turn set not null;
alter table intention alter column turn set not null;
alter table send add check ((committed_at is null) = (turn is null));
alter table flash add check ((state = 'done') = (turn is not null));
create function flashed_to(a_run uuid, before bigint) returns text language sql stable as $$
	select path[cardinality(path)] from flash where run_id = a_run and state = 'done' and turn < before order by turn desc limit 1
$$;
${served('turn')};
drop function flashed_to(uuid, timestamptz);
drop index flash_run_id_ended_at_idx, intention_position_id_unit_id_at_idx;
create index on flash (run_id, turn) where state = 'done';
create index on intention (position_id, unit_id)`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw(`
drop view served;
create function flashed_to(a_run uuid, until timestamptz) returns text language sql stable as $$
	select path[cardinality(path)] from flash where run_id = a_run and state = 'done' and ended_at <= until order by ended_at desc limit 1
$$;
${served('at')};
grant select on served to limen_people, limen_bootstrap, limen_setup;
drop function flashed_to(uuid, bigint);
drop trigger runs_take_turns on run;
drop trigger sends_take_turns on send;
drop trigger flashes_take_turns on flash;
drop trigger intentions_take_turns on intention;
drop function take_turn;
alter table run drop column turn;
alter table send drop column turn;
alter table flash drop column turn;
alter table intention drop column turn;
drop sequence given_turn;
create index on flash (run_id, ended_at) where state = 'done';
create index on intention (position_id, unit_id, at desc)`);
}
