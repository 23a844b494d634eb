import type { Knex } from 'knex';

/**
 * How each position stands, said once for lists, counts, links, programs and figures; the same as core's
 * `standingOf` for its present run. A position without a unit is `open`.
 */
const NORMAL_MINUTES = { calling: 2, identity: 2, firmware: 20, configuration: 5, proof: 5 };

export async function up(knex: Knex): Promise<void> {
	const normal = Object.entries(NORMAL_MINUTES).map(
		([step, minutes]) => `('${step}', interval '${minutes} minutes')`
	);
	await knex.raw(`
-- how long a step lasts when all is well; a step without a row may last as long as it likes
create table step_duration (step text primary key references run_step, normal interval not null check (normal > '0'));
insert into step_duration (step, normal) values ${normal.join(', ')};

create view position_standing with (security_invoker = true) as
	select position.id as position_id, position.site_id, position.customer_id, binding.unit_id, run.id as run_id,
		run.step, run.outcome, run.since, run.ended_at, coalesce(wrong.calls, 0)::integer as wrong_code,
		case
			when run.id is null or run.outcome = 'cancelled' then 'open'
			when run.outcome = 'failed' then 'stuck'
			when run.outcome = 'through' then 'online'
			when run.step = 'bound' then case when wrong.calls is null then 'waiting' else 'stuck' end
			when now() - run.since > step_duration.normal then 'slow'
			else 'moving'
		end as standing
	from position
	left join binding on binding.position_id = position.id
	left join run on run.id = binding.run_id
	left join unit on unit.id = binding.unit_id
	left join caller wrong on wrong.serial = unit.serial and wrong.reason = 'wrong-code' and wrong.last_at > run.begun_at
	left join step_duration on step_duration.step = run.step;

create index run_through_lately on run (ended_at desc) where outcome = 'through';
grant select on step_duration, position_standing to limen_people, limen_bootstrap, limen_setup;
`);
}

export async function down(knex: Knex): Promise<void> {
	await knex.raw('drop view position_standing; drop table step_duration; drop index run_through_lately');
}
