import { readFileSync } from 'node:fs';
import { startApplication } from '../command/limen';
import { freePort } from '../command/ports';
import { startProgram, whenReady } from '../command/processes';
import { database } from '../src/lib/server/database';
import { currentSettings, publicUrl } from '../src/lib/server/settings';
import { asOwner, customerWithRuns, send, type BenchUnit, type Figure } from './world';

const UNITS = 2_000;
const INPUT = 'ietf-sztp-bootstrap-server:input';
const REPORTS = [
	'bootstrap-initiated',
	'parsing-initiated',
	'parsing-complete',
	'config-initiated',
	'config-complete',
	'bootstrap-complete'
];
const MOST_MEMORY = 400;

/** All units call at once, each one request after another, none sleeping. Returns requests per second. */
async function storm(units: readonly BenchUnit[], urlOf: (operation: string) => string): Promise<number> {
	const bad: number[] = [];
	const start = performance.now();
	await Promise.all(
		units.map(async (unit) => {
			const say = async (operation: string, input: object) => {
				const status = await send(urlOf(operation), unit, JSON.stringify({ [INPUT]: input }));
				if (status >= 300) bad.push(status);
			};
			await say('get-bootstrapping-data', {
				'hw-model': 'OG-2',
				'os-name': 'okapira-og',
				'os-version': '7.0.3'
			});
			for (const type of REPORTS)
				await say('report-progress', { 'progress-type': type, message: 'a few words of its own' });
		})
	);
	if (bad.length > 0) throw new Error(`${bad.length} requests were refused, the first with ${bad[0]}.`);
	return (units.length * (REPORTS.length + 1)) / ((performance.now() - start) / 1000);
}

export async function benchStorm(): Promise<Figure[]> {
	const { units } = await customerWithRuns('Storm', UNITS);
	await asOwner(
		'create table bare_event (id bigint generated always as identity primary key, unit_id uuid not null, at timestamptz not null default now(), words text not null)'
	);
	const port = await freePort();
	let said = '';
	const bare = startProgram(
		'bare server',
		[process.execPath, '--import', 'tsx', 'bench/bare-server.ts'],
		{ BARE_PORT: String(port) },
		(text) => (said += text)
	);
	await whenReady(bare, 'bare server', `http://127.0.0.1:${port}/`, () => said);
	const application = await startApplication(currentSettings(), { LIMEN_QUIET: 'yes' });
	const warm = units.slice(0, 50);
	await Promise.all(warm.map((unit) => send(`http://127.0.0.1:${port}/`, unit, '{}')));
	const baseline = await storm(units, () => `http://127.0.0.1:${port}/`);
	bare.kill('SIGTERM');
	const measured = await storm(
		units,
		(operation) =>
			`${publicUrl(currentSettings())}/restconf/operations/ietf-sztp-bootstrap-server:${operation}`
	);
	const memory =
		Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${application.pid}/status`, 'utf8'))![1]) / 1024;
	const { rows } = await database().raw(
		`select count(*)::int as reports, count(distinct (run_id, progress_type))::int as distinct_reports from run_event where kind = 'report'`
	);
	application.kill('SIGTERM');
	await new Promise((resolve) => application.once('exit', resolve));
	const { reports, distinct_reports } = rows[0];
	const sent = UNITS * REPORTS.length;
	const ratio = measured / baseline;
	return [
		{
			name: `Storm: ${UNITS} units at once, ${UNITS * (REPORTS.length + 1)} requests`,
			measured: `${measured.toFixed(0)} requests/s`,
			baseline: `${baseline.toFixed(0)} requests/s (bare handler, one read, one insert)`,
			result: `${ratio.toFixed(2)} ×`,
			wanted: 'at least 0.5 ×',
			held: ratio >= 0.5
		},
		{
			name: 'Storm: every report stored once',
			measured: `${reports} stored, ${distinct_reports} distinct`,
			baseline: `${sent} sent`,
			result: reports === sent && distinct_reports === sent ? 'all' : 'not all',
			wanted: 'all',
			held: reports === sent && distinct_reports === sent
		},
		{
			name: 'Storm: memory of the application, highest',
			measured: `${memory.toFixed(0)} MB`,
			baseline: '',
			result: `${memory.toFixed(0)} MB`,
			wanted: `under ${MOST_MEMORY} MB`,
			held: memory < MOST_MEMORY
		}
	];
}
