import { JOBS_SCHEMA } from '../database';
import { queue } from './worker';

/** How the queue stands: of each task, how many wait, run, are to be tried again and are given up. */
export interface TaskCount {
	readonly task: string;
	readonly waiting: number;
	readonly running: number;
	readonly retrying: number;
	readonly failed: number;
	/** Since when the oldest that is due has been due. */
	readonly oldest: Date | null;
}

const GIVEN_UP = 'attempts >= max_attempts and locked_at is null';

export async function taskCounts(): Promise<readonly TaskCount[]> {
	const { rows } = await queue().query(
		`select task_identifier as task,
			count(*) filter (where locked_at is null and attempts = 0)::int as waiting,
			count(*) filter (where locked_at is not null)::int as running,
			count(*) filter (where locked_at is null and attempts > 0 and attempts < max_attempts)::int as retrying,
			count(*) filter (where ${GIVEN_UP})::int as failed,
			min(run_at) filter (where locked_at is null and attempts < max_attempts and run_at <= now()) as oldest
		from ${JOBS_SCHEMA}.jobs group by 1 order by 1`
	);
	return rows;
}

export interface TroubledJob {
	readonly id: string;
	readonly task: string;
	readonly attempts: number;
	readonly of: number;
	readonly error: string;
	readonly since: Date;
	/** When it is tried next; null when it is given up. */
	readonly next: Date | null;
}

/** Jobs that failed at least once: those given up first. */
export async function troubledJobs(limit: number): Promise<readonly TroubledJob[]> {
	const { rows } = await queue().query(
		`select id, task_identifier as task, attempts, max_attempts as "of", left(coalesce(last_error, ''), 500) as error,
			created_at as since, case when ${GIVEN_UP} then null else run_at end as next
		from ${JOBS_SCHEMA}.jobs where attempts > 0 and last_error is not null
		order by (${GIVEN_UP}) desc, id limit $1`,
		[limit]
	);
	return rows;
}

/** Tries a job again now, as if it had never failed. False when there is no such job any more. */
export async function tryJobAgain(id: string): Promise<boolean> {
	const { rows } = await queue().query(
		`select id from ${JOBS_SCHEMA}.reschedule_jobs(array[$1::bigint], run_at := now(), attempts := 0)`,
		[id]
	);
	return rows.length > 0;
}
