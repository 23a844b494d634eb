import { once } from 'node:events';
import { request } from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import type { ChildProcess } from 'node:child_process';
import { startApplication } from '../../command/limen';
import { currentSettings } from '../../src/lib/server/settings';
import { administratorSession, asOwner, median, type Figure } from '../world';
import { dialAll, fleetOf } from './connections';

const UNITS = Number(process.env.LIMEN_BENCH_UNITS ?? 2_000);
const MOST_START = 2;
const LONGEST_PAGE_MS = 2_000;
const PATIENCE_MS = 5 * 60_000;

/** The application is killed with -9 while all its units are connected, and started again while all of them dial. */
export async function benchComeback(): Promise<Figure[]> {
	const { customerId, hostKeys } = await fleetOf('Comeback', UNITS);
	const cookie = await administratorSession();
	const [alone, first] = await timedStart();
	const diallers = await dialAll('diallers', currentSettings().LIMEN_CALL_HOME_PORT, hostKeys);
	while ((await connected(customerId)) < UNITS) await sleep(200);
	first.kill('SIGKILL');
	await once(first, 'exit');
	const [beside, application] = await timedStart();
	const back = performance.now();
	const pages: number[] = [];
	while ((await connected(customerId)) < UNITS) {
		if (performance.now() - back > PATIENCE_MS) break;
		pages.push(await page('/units', cookie));
		await sleep(100);
	}
	const seconds = (performance.now() - back) / 1_000;
	const still = await connected(customerId);
	diallers.kill('SIGTERM');
	application.kill('SIGTERM');
	await once(application, 'exit');
	const longest = Math.max(...pages);
	return [
		{
			name: `Started again beside ${UNITS} units that dial: until it answers`,
			measured: `${beside.toFixed(1)} s`,
			baseline: `${alone.toFixed(1)} s (with no unit)`,
			result: `${(beside / alone).toFixed(1)} ×`,
			wanted: `at most ${MOST_START} ×`,
			held: beside / alone <= MOST_START
		},
		{
			name: `The list of units until all ${UNITS} are connected again`,
			measured: `longest ${longest.toFixed(0)} ms, median ${median(pages).toFixed(0)} ms of ${pages.length}; ${still} connected after ${seconds.toFixed(0)} s`,
			baseline: '',
			result: `${longest.toFixed(0)} ms`,
			wanted: `under ${LONGEST_PAGE_MS} ms, and all connected`,
			held: longest < LONGEST_PAGE_MS && still === UNITS
		}
	];
}

async function timedStart(): Promise<[seconds: number, application: ChildProcess]> {
	const from = performance.now();
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	return [(performance.now() - from) / 1_000, application];
}

/** By the process that lives: those of one that was killed are ended when that is noticed. */
const connected = async (customerId: string): Promise<number> =>
	(
		await asOwner(
			`select count(*)::int as count from unit_connection held join process on process.id = held.process_id
			where held.ended_at is null and process.ended_at is null and held.customer_id = '${customerId}'
				and process.started_at = (select max(started_at) from process)`
		)
	).rows[0].count;

/** How long a page takes, over a connection of its own. */
const page = (path: string, cookie: string): Promise<number> =>
	new Promise((resolve, reject) => {
		const from = performance.now();
		request(
			`http://127.0.0.1:${currentSettings().LIMEN_PORT}${path}`,
			{ agent: false, headers: { cookie: `limen_session=${cookie}`, accept: 'text/html' } },
			(response) => {
				response.resume();
				response.on('end', () => {
					if (response.statusCode === 200) resolve(performance.now() - from);
					else reject(new Error(`${path}: ${response.statusCode}`));
				});
			}
		)
			.on('error', reject)
			.end();
	});
