import { NORMAL_DURATION } from '../../../core/onboarding';

/**
 * How positions stand, said in SQL for lists that are too long to be judged one by one: the same as core's
 * `standingOf`, from the same durations. `run` is the position's present run, `refused` whether its unit was
 * refused since the run began.
 */
const TOO_LONG = Object.entries(NORMAL_DURATION)
	.flatMap(([step, normal]) => (normal === null ? [] : [`('${step}', ${normal})`]))
	.join(', ');

export const POSITION_STANDING = `case
	when run.id is null or run.outcome = 'cancelled' then 'open'
	when run.outcome = 'failed' then 'stuck'
	when run.outcome = 'through' then 'online'
	when run.step = 'bound' then case when refused.unit_id is null then 'waiting' else 'stuck' end
	when exists (select from (values ${TOO_LONG}) as normal(step, ms) where normal.step = run.step and now() - run.since > normal.ms * interval '1 millisecond') then 'slow'
	else 'moving' end`;

/** Joins `run` and `refused` behind a `binding`. */
export const WITH_RUN = `left join run on run.id = binding.run_id
	left join (
		select unit.id as unit_id, max(last_at) as last_at from caller join unit on unit.serial = caller.serial where reason = 'wrong-code' group by 1
	) refused on refused.unit_id = run.unit_id and refused.last_at > run.begun_at`;
