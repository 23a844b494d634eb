import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import pLimit from 'p-limit';
import pg from 'pg';
import ssh2, { type Client } from 'ssh2';
import { v7 as uuid } from 'uuid';
import { startApplication } from '../../command/limen';
import { freePort } from '../../command/running/ports';
import { startProgram } from '../../command/running/processes';
import { database, enqueue, ownerUrl } from '../../src/lib/server/database';
import { KEEPERS_LOCK } from '../../src/lib/server/archive/keep';
import { run } from '../../src/lib/server/connections/speaking/exec';
import { connectOver, UNIT_USER } from '../../src/lib/server/connections/speaking/ssh';
import { enterInLedger, LIMEN } from '../../src/lib/server/ledger';
import { notify } from '../../src/lib/server/live';
import { callHomeKey, seal } from '../../src/lib/server/keys';
import { currentSettings } from '../../src/lib/server/settings';
import { newHostKey } from '../../standins/units/home';
import { asOwner, customerWithRuns, inTurns, median, type Figure } from '../world';
import { processorSeconds } from './processor';

const UNITS = 2_000;
const AT_ONCE = 64;
const IDLE_MS = 30_000;
const MOST_MEMORY = 500;
const MOST_IDLE = 5;
const LEAST_RATE = 0.7;
const MOST_ENQUEUE = 1.3;
const MOST_KEPT = 1.3;
const NIGHTS = 5;
/** As long as a branch router's. */
const CONFIGURATION = Array.from(
	{ length: 80 },
	(_, n) => `interface lan-${n} { address 10.0.${n}.1/24; }`
).join('\n');

/** Starts units in a process of their own, of one of the programs beside this; resolves when all have logged in. */
export async function dialAll(
	program: 'diallers' | 'flashers',
	port: number,
	hostKeys: readonly string[],
	more: Readonly<Record<string, string>> = {}
) {
	const file = join(currentSettings().LIMEN_STATE_DIR, `${program}-${port}.json`);
	writeFileSync(
		file,
		JSON.stringify({ port, key: callHomeKey().public, hostKeys, configuration: CONFIGURATION, ...more })
	);
	let said = '';
	const child = startProgram(
		program,
		[process.execPath, '--import', 'tsx', `bench/units/${program}.ts`, file],
		{},
		(text) => (said += text)
	);
	while (!said.includes('all are connected')) {
		if (child.exitCode !== null) throw new Error(said);
		// Another process's work: there is nothing to wait on
		await sleep(50);
	}
	return child;
}

/** As if each unit of a customer had come online with what diallers tell. */
export const comeThrough = (customerId: string) =>
	asOwner(
		`begin; set local session_replication_role = replica;
		update run set outcome = 'through', step = 'online', ended_at = now(), rendering = '${seal(CONFIGURATION)}' where customer_id = '${customerId}'; commit`
	);

/** A customer whose units have all come online, with the host keys by which they dial. */
export async function fleetOf(
	name: string,
	count: number
): Promise<{ readonly customerId: string; readonly hostKeys: readonly string[] }> {
	const { customerId } = await customerWithRuns(name, count);
	await comeThrough(customerId);
	const units: string[] = await database()('unit').where({ customer_id: customerId }).pluck('id');
	const hostKeys = units.map(newHostKey);
	await keepHostKeys(customerId, units, hostKeys);
	return { customerId, hostKeys };
}

/** As if each unit had told its host key when it came online. */
export async function keepHostKeys(
	customerId: string,
	units: readonly string[],
	hostKeys: readonly string[]
): Promise<void> {
	const rows = hostKeys.map((hostKey, index) => {
		const parsed = ssh2.utils.parseKey(hostKey);
		if (parsed instanceof Error) throw parsed;
		const key = (Array.isArray(parsed) ? parsed[0] : parsed).getPublicSSH().toString('base64');
		return { key, unit_id: units[index], customer_id: customerId, algorithm: 'ssh-ed25519' };
	});
	await database().batchInsert('unit_host_key', rows, 500);
}

/** The same commands over ssh2 alone, in this process: reads a second. */
async function bareReads(hostKeys: readonly string[]): Promise<number> {
	const clients: Client[] = [];
	const listener = createServer((socket) => {
		socket.on('error', () => socket.destroy());
		void connectOver(
			socket,
			() => Promise.resolve(true),
			async () => [{ name: 'limen', login: { user: UNIT_USER, privateKey: callHomeKey().private } }]
		).then(({ client }) => clients.push(client));
	});
	const port = await freePort();
	listener.listen(port, '127.0.0.1');
	await once(listener, 'listening');
	const diallers = await dialAll('diallers', port, hostKeys);
	while (clients.length < hostKeys.length) await sleep(20);
	const atOnce = pLimit(AT_ONCE);
	const start = performance.now();
	await Promise.all(clients.map((client) => atOnce(() => run(client, 'tell configuration'))));
	const rate = hostKeys.length / ((performance.now() - start) / 1000);
	diallers.kill('SIGTERM');
	listener.close();
	return rate;
}

const statusOf = (pid: number) => readFileSync(`/proc/${pid}/status`, 'utf8');

/** Many units connected, and read from all at once. */
export async function benchConnections(): Promise<Figure[]> {
	const hostKeys = Array.from({ length: UNITS }, newHostKey);
	const baseline = await bareReads(hostKeys);
	const { customerId } = await customerWithRuns('Connected', UNITS);
	const units: string[] = await database()('unit').where({ customer_id: customerId }).pluck('id');
	await keepHostKeys(customerId, units, hostKeys);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const pid = application.pid!;
	const diallers = await dialAll('diallers', currentSettings().LIMEN_CALL_HOME_PORT, hostKeys);
	const connected = async () =>
		Number((await database()('unit_connection').whereNull('ended_at').count())[0]!.count);
	while ((await connected()) < UNITS) await sleep(100);
	const [before, from] = [processorSeconds(pid), performance.now()];
	await sleep(IDLE_MS);
	const idle = ((processorSeconds(pid) - before) / ((performance.now() - from) / 1000)) * 100;
	const measured = UNITS / (await readAll(customerId, ALL_READ));
	const { rows: read } = await asOwner(
		`select count(*)::int as count from errand where state = 'done' and kind = 'read'`
	);
	if (read[0].count !== UNITS) throw new Error(`${UNITS - read[0].count} of ${UNITS} units were not read.`);
	const memory = Number(/VmHWM:\s+(\d+)/.exec(statusOf(pid))![1]) / 1024;
	const { alone, kept } = await readByNight(customerId);
	diallers.kill('SIGTERM');
	application.kill('SIGTERM');
	await once(application, 'exit');
	const ratio = measured / baseline;
	return [
		{
			name: `${UNITS} units connected, all read once: memory of the application, highest`,
			measured: `${memory.toFixed(0)} MB`,
			baseline: '',
			result: `${memory.toFixed(0)} MB`,
			wanted: `under ${MOST_MEMORY} MB`,
			held: memory < MOST_MEMORY
		},
		{
			name: `${UNITS} units connected and idle: processor of the application`,
			measured: `${idle.toFixed(1)} % of a core over ${IDLE_MS / 1000} s`,
			baseline: '',
			result: `${idle.toFixed(1)} %`,
			wanted: `under ${MOST_IDLE} %`,
			held: idle < MOST_IDLE
		},
		{
			name: `${UNITS} errands that read the configuration`,
			measured: `${measured.toFixed(0)} a second`,
			baseline: `${baseline.toFixed(0)} a second (the same command over bare ssh2)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at least ${LEAST_RATE} ×`,
			held: ratio >= LEAST_RATE
		},
		{
			name: `${UNITS} units read, kept and held against what is intended, one in ten runs something else than before`,
			measured: `${kept.toFixed(1)} s`,
			baseline: `${alone.toFixed(1)} s (the same errands, nothing kept)`,
			result: `${(kept / alone).toFixed(2)} ×`,
			wanted: `at most ${MOST_KEPT} ×`,
			held: kept / alone <= MOST_KEPT
		}
	];
}

/** What else is asked of units goes on beside. */
const ALL_READ = `not exists (select from errand where state in ('waiting', 'under way') and kind = 'read')`;
const ALL_KEPT = `${ALL_READ} and not exists (select from reading where kept_at is null)`;

/** Reads the configuration of each unit at once; seconds until something holds in the database. */
async function readAll(customerId: string, ends: string): Promise<number> {
	const start = performance.now();
	await database().transaction(async (trx) => {
		await trx.raw(
			`insert into errand (id, unit_id, customer_id, kind, priority, deadline)
			select gen_random_uuid(), id, customer_id, 'read', 10, now() + interval '10 minutes' from unit where customer_id = ?`,
			[customerId]
		);
		await trx.raw(
			`select pg_notify('limen_change', json_build_object('topic', 'errand-asked', 'customerId', ?::text, 'ids', ids)::text)
			from (select json_agg(id) as ids from (select id, row_number() over () / 100 as part from unit where customer_id = ?) u group by part) p`,
			[customerId, customerId]
		);
	});
	while (!(await asOwner(`select ${ends} as done`)).rows[0].done) await sleep(50);
	return (performance.now() - start) / 1000;
}

/**
 * A night's reading of units that have come online: seconds until all are read with nothing kept of it, and until all is kept
 * and held against what is intended.
 */
async function readByNight(customerId: string): Promise<{ readonly alone: number; readonly kept: number }> {
	await comeThrough(customerId);
	// What was read before is kept, and held against what is intended from now on
	await readAll(customerId, ALL_KEPT);
	const [alone, kept]: [number[], number[]] = [[], []];
	for (let night = 0; night < NIGHTS; night++) {
		const keeper = new pg.Client({ connectionString: ownerUrl() });
		await keeper.connect();
		await keeper.query('select pg_advisory_lock($1)', [KEEPERS_LOCK]);
		alone.push(await readAll(customerId, ALL_READ));
		await keeper.end();
		while (!(await asOwner(`select ${ALL_KEPT} as done`)).rows[0].done) await sleep(50);
		kept.push(await readAll(customerId, ALL_KEPT));
	}
	const { rows } = await asOwner(
		`select count(*)::int as differ from unit_drift join drift_look look on look.id = look_id where look.customer_id = '${customerId}' and look.state = 'differs'`
	);
	if (rows[0].differ !== UNITS / 10) throw new Error(`${rows[0].differ} units differ.`);
	return { alone: median(alone), kept: median(kept) };
}

/** An act that also enqueues a job, against the act alone. */
export async function benchEnqueue(): Promise<Figure[]> {
	const act = (enqueues: boolean) =>
		database().transaction(async (trx) => {
			const id = uuid();
			await trx('customer').insert({ id, name: `Enqueued ${id}` });
			await trx('batch').insert({ id: uuid(), customer_id: id });
			await enterInLedger(trx, LIMEN, [
				{
					act: 'create customer',
					customerId: id,
					subjectKind: 'customer',
					subjectId: id,
					words: 'A customer of the benchmark.'
				}
			]);
			await notify(trx, 'plan', id);
			if (enqueues)
				await enqueue(trx, 'clean up', { id }, { key: id, due: new Date(Date.now() + 86_400_000) });
		});
	const { baseline, measured, ratio } = await inTurns(
		400,
		() => act(false),
		() => act(true)
	);
	await asOwner(`delete from limen_jobs._private_jobs`);
	return [
		{
			name: 'An act that enqueues a job',
			measured: `${measured.toFixed(2)} ms`,
			baseline: `${baseline.toFixed(2)} ms (the act alone: two inserts, its entry in the ledger, its notification)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: `at most ${MOST_ENQUEUE} ×`,
			held: ratio <= MOST_ENQUEUE
		}
	];
}
