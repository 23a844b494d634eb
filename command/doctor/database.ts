import { readdirSync } from 'node:fs';
import { basename } from 'node:path';
import pg from 'pg';
import { MIGRATIONS } from '../cluster';
import { JOBS_SCHEMA, ownerUrl } from '../../src/lib/server/database';
import type { Settings } from '../../src/lib/server/settings';
import { watch, well, within, wordsOf, wrong, type Finding } from './finding';

const OLDEST_VERSION = 15;
const DUE_MINUTES = 15;
const SILENT = '2 minutes';

/** What the database says; with its clock, and until when its records go. */
export interface DatabaseAnswer {
	readonly findings: readonly Finding[];
	readonly now: Date | null;
	readonly latest: Date | null;
}

/** The database, its migrations, the queue, and the processes that work on it. */
export async function askDatabase(settings: Settings, up: boolean): Promise<DatabaseAnswer> {
	const own = !settings.LIMEN_DATABASE_URL;
	const away = (words: string): DatabaseAnswer => {
		// A private one sleeps while Limen does
		const todo = own
			? 'It starts with Limen. If it does not, look into the log in the folder postgres of LIMEN_STATE_DIR.'
			: 'Look at the database server and LIMEN_DATABASE_URL.';
		return { findings: [(own && !up ? watch : wrong)('database', words, todo)], now: null, latest: null };
	};
	let url: string;
	try {
		url = ownerUrl(settings);
	} catch {
		return away('There is none yet.');
	}
	const client = new pg.Client({
		connectionString: url,
		connectionTimeoutMillis: 8_000,
		query_timeout: 10_000
	});
	client.on('error', () => undefined);
	try {
		await within(10_000, client.connect());
	} catch (error) {
		return away(`It does not answer: ${wordsOf(error)}.`);
	}
	try {
		const now = (await client.query<{ now: Date }>('select clock_timestamp() as now')).rows[0]!.now;
		const findings = [
			...(await server(client)),
			...(await migrations(client)),
			...(await queue(client)),
			...(await processes(client, up)),
			...(await letters(client))
		];
		const { rows } = await client.query<{ at: Date | null }>('select max(at) as at from ledger_entry');
		return { findings, now, latest: rows[0]?.at ?? null };
	} catch (error) {
		return away(`It answers with an error: ${wordsOf(error)}.`);
	} finally {
		await client.end().catch(() => undefined);
	}
}

async function server(client: pg.Client): Promise<Finding[]> {
	const { rows } = await client.query<{
		version: string;
		number: number;
		used: number;
		most: number;
		size: string;
	}>(
		`select current_setting('server_version') as version, current_setting('server_version_num')::int as number, (select count(*)::int from pg_stat_activity) as used,
			current_setting('max_connections')::int as most, pg_size_pretty(pg_database_size(current_database())) as size`
	);
	const { version, number, used, most, size } = rows[0]!;
	const words = `PostgreSQL ${version}, ${size}, ${used} of ${most} connections in use.`;
	if (number < OLDEST_VERSION * 10_000)
		return [wrong('database', words, `Limen needs PostgreSQL ${OLDEST_VERSION} or newer.`)];
	return used > most * 0.9
		? [watch('database', words, 'Raise max_connections, or lower LIMEN_DATABASE_POOL of each process.')]
		: [well('database', words)];
}

async function migrations(client: pg.Client): Promise<Finding[]> {
	const here = new Set(
		readdirSync(MIGRATIONS)
			.filter((name) => name.endsWith('.ts'))
			.map((name) => basename(name))
	);
	const { rows } = await client.query<{ name: string }>('select name from knex_migrations');
	const done = new Set(rows.map(({ name }) => name));
	const [missing, unknown] = [
		[...here].filter((name) => !done.has(name)),
		[...done].filter((name) => !here.has(name))
	];
	if (unknown.length > 0)
		return [
			wrong(
				'migrations',
				`The database is newer than this program: it has ${unknown[0]}.`,
				'Run the version of Limen that it was brought to, or restore the backup from before.'
			)
		];
	return missing.length > 0
		? [
				watch(
					'migrations',
					`${missing.length} are still to be done.`,
					'They are done when Limen is started. Make a backup before.'
				)
			]
		: [well('migrations', 'All are done.')];
}

async function queue(client: pg.Client): Promise<Finding[]> {
	const { rows } = await client.query<{
		failed: number;
		late: number;
		oldest: Date | null;
		task: string | null;
	}>(
		`select count(*) filter (where attempts >= max_attempts and locked_at is null)::int as failed,
			count(*) filter (where locked_at is null and attempts < max_attempts and run_at < now() - interval '${DUE_MINUTES} minutes')::int as late,
			min(run_at) filter (where locked_at is null and attempts < max_attempts) as oldest,
			min(task_identifier) filter (where attempts >= max_attempts and locked_at is null) as task
		from ${JOBS_SCHEMA}.jobs`
	);
	const { failed, late, oldest, task } = rows[0]!;
	return [
		...(late > 0
			? [
					wrong(
						'queue',
						`${late} jobs have been due for more than ${DUE_MINUTES} minutes, the oldest since ${oldest!.toISOString().slice(0, 16)}.`,
						'Is Limen running, and does its log say why nothing is worked?'
					)
				]
			: []),
		...(failed > 0
			? [
					watch(
						'queue',
						`${failed} jobs were given up, such as “${task}”.`,
						'How Limen runs, in the menu of an administrator, says why, and lets them be tried again.'
					)
				]
			: []),
		...(late + failed === 0 ? [well('queue', 'Nothing waits too long, and nothing was given up.')] : [])
	];
}

async function processes(client: pg.Client, up: boolean): Promise<Finding[]> {
	const { rows } = await client.query<{ alive: number; silent: number; units: number; orphans: number }>(
		`select count(*) filter (where heartbeat_at >= now() - interval '${SILENT}')::int as alive, count(*) filter (where heartbeat_at < now() - interval '${SILENT}')::int as silent,
			(select count(*)::int from unit_connection where ended_at is null) as units,
			(select count(*)::int from unit_connection c join process p on p.id = c.process_id where c.ended_at is null and (p.ended_at is not null or p.heartbeat_at < now() - interval '${SILENT}')) as orphans
		from process where ended_at is null`
	);
	const { alive, silent, units, orphans } = rows[0]!;
	const words = `${alive} ${alive === 1 ? 'process is' : 'processes are'} at work, ${units} units are connected.`;
	if (up && alive === 0)
		return [
			wrong(
				'connections',
				'Limen answers, and no process of it has been heard for two minutes.',
				'It works on another database, or hangs: look at LIMEN_DATABASE_URL and its log, and start it anew.'
			)
		];
	return silent > 0 || orphans > 0
		? [
				watch(
					'connections',
					`${words} ${silent} processes went silent, with ${orphans} connections.`,
					'The others take over within minutes; if this stays, start Limen anew.'
				)
			]
		: [well('connections', words)];
}

async function letters(client: pg.Client): Promise<Finding[]> {
	const { rows } = await client.query<{ lost: number; problem: string | null }>(
		`select count(*)::int as lost, max(problem) as problem from mail where given_up_at is not null and sent_at is null`
	);
	const { lost, problem } = rows[0]!;
	return lost > 0
		? [
				watch(
					'letters',
					`${lost} did not leave: ${problem ?? 'no reason is known'}.`,
					'How Limen runs, in the menu of an administrator, lets them be sent again.'
				)
			]
		: [];
}
