import { EventEmitter } from 'node:events';
import { setTimeout as sleep } from 'node:timers/promises';
import { Logger, parseCronItems, run, type Runner, type Task, type WorkerEvents } from 'graphile-worker';
import pg from 'pg';
import { BOOTSTRAP, database, JOBS_SCHEMA, jobsUrl, MOST_ATTEMPTS, runAs, type Identity } from '../database';
import { log } from '../log';
import { onBeat, thisProcess } from './process';

/**
 * Everything that is not answered at once. Each process works the queue; a job runs as the identity that its
 * task was registered with, so the walls stand before it too. What fails is tried again with growing pauses;
 * the last try knows that it is the last.
 */
const AT_ONCE = 4;
const CONNECTIONS = 3;
const AGAIN_MS = 1_000;
const LOST_AFTER = '20 seconds';

interface Attempt {
	/** After this one a person is told. */
	readonly last: boolean;
}
type Work = (about: Readonly<Record<string, string>>, attempt: Attempt) => Promise<void>;

const tasks: Record<string, Task> = {};
/** The jobs that this process is doing. */
const underWay = new Set<string>();
const schedule: { readonly task: string; readonly match: string }[] = [];

/** How a kind of job is done, and as whom. Done twice, it must do no harm: a kill may come after it and before its end was noted. */
export function onJob(task: string, who: Identity, work: Work): void {
	tasks[task] = async (about, { job }) => {
		underWay.add(job.id);
		try {
			await runAs(who, () =>
				work((about ?? {}) as Record<string, string>, { last: job.attempts >= job.max_attempts })
			);
		} finally {
			underWay.delete(job.id);
		}
	};
}

/** The same, by the clock; `match` is a line of a crontab without its command. Missed while nothing ran, it is not made up for. */
export function onSchedule(match: string, task: string, who: Identity, work: () => Promise<void>): void {
	onJob(task, who, work);
	schedule.push({ task, match });
}

let pool: pg.Pool | undefined;
let runner: Runner | undefined;

const lostConnection = (error: Error): void =>
	log.warn({ error: error.message }, 'the queue lost a connection');

/** The queue's own few connections. */
export const queue = (): pg.Pool =>
	(pool ??= new pg.Pool({ connectionString: jobsUrl(), max: CONNECTIONS, application_name: 'limen jobs' })
		.on('error', lostConnection)
		.on('connect', (client) => void client.on('error', lostConnection)));

/** What jobs of this process are locked by. */
const workers = new Set<string>();

export async function startJobs(): Promise<void> {
	await begin();
	await noteWorkers();
	onBeat(releaseTheDead);
	onBeat(releaseTheLost);
	onBeat(forgetReplaced);
	onBeat(noteWorkers);
}

async function begin(): Promise<void> {
	const events = new EventEmitter() as WorkerEvents;
	events.on('pool:create', ({ workerPool }) => workers.add(workerPool.id));
	events.on('job:failed', ({ job }) => log.error(told(job), 'a job is given up'));
	events.on('job:error', ({ job, error }) =>
		log.warn({ ...told(job), error: (error as Error).message }, 'a job failed')
	);
	const begun = await run({
		events,
		pgPool: queue(),
		schema: JOBS_SCHEMA,
		concurrency: AT_ONCE,
		noHandleSignals: true,
		logger: new Logger(() => (level, message, about) => {
			// Its tries are told below, with what they were about
			if (level === 'error' && !about?.job) log.warn({ about }, message);
		}),
		taskList: tasks,
		parsedCronItems: parseCronItems(
			schedule.map(({ task, match }) => ({ task, match, options: { backfillPeriod: 0 } }))
		)
	});
	runner = begun;
	void begun.promise.catch(lostConnection).then(async () => {
		if (runner === begun) await beginAgain();
	});
}

/** The queue's library ends for good where a connection is lost while it notes what became of a job. */
async function beginAgain(): Promise<void> {
	log.warn('the queue ended; it begins again');
	const before = [...workers];
	runner = undefined;
	while (pool && !runner)
		try {
			await sleep(AGAIN_MS, undefined, { ref: false });
			await queue().query(`select ${JOBS_SCHEMA}.force_unlock_workers($1::text[])`, [before]);
			await begin();
			for (const one of before) workers.delete(one);
		} catch (error) {
			lostConnection(error as Error);
		}
}

const told = (job: { readonly id: string; readonly task_identifier: string; readonly attempts: number }) => ({
	job: job.id,
	task: job.task_identifier,
	attempts: job.attempts
});

export async function stopJobs(): Promise<void> {
	const [ending, connections] = [runner, pool];
	runner = pool = undefined;
	await ending
		?.stop()
		.catch((error: Error) => log.warn({ error: error.message }, 'jobs did not end in order'));
	await connections?.end();
}

const noteWorkers = (): Promise<void> =>
	runAs(BOOTSTRAP, async () => {
		await database()('process')
			.where({ id: thisProcess() })
			.whereNot({ workers: [...workers] })
			.update({ workers: [...workers] });
	});

/** Jobs of a process that has ended are given back at once; by itself the queue would wait for hours. */
async function releaseTheDead(): Promise<void> {
	const dead: { id: string; workers: string[] }[] = await database()('process')
		.whereNotNull('ended_at')
		.where({ workers_released: false })
		.select('id', 'workers');
	if (dead.length === 0) return;
	await queue().query(`select ${JOBS_SCHEMA}.force_unlock_workers($1::text[])`, [
		dead.flatMap(({ workers }) => workers)
	]);
	await database()('process')
		.whereIn(
			'id',
			dead.map(({ id }) => id)
		)
		.update({ workers_released: true });
}

/**
 * What is taken for under way here and is not: the connection was lost when its end was to be noted, or when it was given out.
 * By itself the queue would wait for hours. Done once more, it does no harm.
 */
async function releaseTheLost(): Promise<void> {
	await queue().query(
		`update ${JOBS_SCHEMA}._private_jobs set locked_by = null, locked_at = null
		where locked_by = any ($1::text[]) and locked_at < now() - $2::interval and id <> all ($3::bigint[])`,
		[[...workers], LOST_AFTER, [...underWay]]
	);
}

/**
 * Whoever asks for a job while one with its key is under way has another put in its place: the queue takes that one's key and
 * its further tries. When it fails after that, or dies with its process, nothing is given up: the other does it all.
 */
async function forgetReplaced(): Promise<void> {
	await queue().query(
		`select ${JOBS_SCHEMA}.complete_jobs(array(
			select id from ${JOBS_SCHEMA}.jobs
			where locked_at is null and key is null and attempts >= max_attempts and max_attempts = ${MOST_ATTEMPTS}
		))`
	);
}
