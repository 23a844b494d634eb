import { existsSync, statfsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { currentSettings, publicUrl, type Settings } from '../src/lib/server/settings';
import { build } from './build';
import { closeDatabase, migrate, startCluster, stopCluster } from './cluster';
import { loadImages, loadPlan, loadUnits } from './demo-world';
import { takeLock } from './lock';
import { freePort, portIsFree } from './ports';
import { Problem, say } from './problem';
import { startProgram, stopPrograms, whenReady } from './processes';

const LEAST_FREE_BYTES = 400 * 1024 * 1024;
const YARD_UNITS = fileURLToPath(new URL('../demo/yard.json', import.meta.url));
const TSX = [process.execPath, '--import', 'tsx'];

/** The whole of Limen with the demo's world, until Ctrl-C. */
export async function demo(): Promise<void> {
	const settings = currentSettings();
	await prepare(settings);
	build();
	await migrate(settings);
	const fresh = (await loadPlan()) > 0;
	await loadImages();
	// Only the first time: what people did since is theirs
	if (fresh) await loadUnits();
	await closeDatabase();
	await runUntilStopped(settings, async () => {
		await startApplication(settings);
		await startYard(settings);
	});
}

/** The application with Vite's development server, for working on it, and the yard beside it. */
export async function dev(): Promise<void> {
	const settings = currentSettings();
	await prepare(settings);
	await migrate(settings);
	if ((await loadPlan()) > 0) {
		await loadImages();
		await loadUnits();
	}
	await closeDatabase();
	await runUntilStopped(settings, async () => {
		let said = '';
		const command = [
			// Vite itself and not through npx, which would not pass on the signal to end
			process.execPath,
			'node_modules/vite/bin/vite.js',
			'dev',
			'--host',
			settings.LIMEN_HOST,
			'--port',
			String(settings.LIMEN_PORT),
			'--strictPort'
		];
		const child = startProgram('application', command, {}, (text) => {
			said = (said + text).slice(-4000);
			process.stdout.write(text);
		});
		await whenReady(child, 'application', publicUrl(settings), () => said);
		await startYard(settings);
	});
}

async function prepare(settings: Settings): Promise<void> {
	takeLock(settings);
	refuseFullDisk(statfsSync(settings.LIMEN_STATE_DIR));
	for (const [variable, port] of [
		['LIMEN_PORT', settings.LIMEN_PORT],
		['LIMEN_CALL_HOME_PORT', settings.LIMEN_CALL_HOME_PORT],
		['LIMEN_YARD_PORT', settings.LIMEN_YARD_PORT]
	] as const)
		if (!(await portIsFree(port, settings.LIMEN_HOST)))
			throw new Problem(
				`Port ${port} is in use by another program; set ${variable} to a free one, such as ${await freePort()}.`
			);
	await startCluster(settings);
}

/** Better said before than by PostgreSQL in the middle. */
export function refuseFullDisk({ bavail, bsize }: { bavail: number; bsize: number }): void {
	if (bavail * bsize < LEAST_FREE_BYTES)
		throw new Problem(
			`The disk is nearly full: ${Math.floor((bavail * bsize) / 1024 / 1024)} MB free, Limen needs ${LEAST_FREE_BYTES / 1024 / 1024} MB to start.`
		);
}

/** Starts the built application and waits until it answers. */
export async function startApplication(settings: Settings, environment: NodeJS.ProcessEnv = {}) {
	let said = '';
	const child = startProgram('application', [process.execPath, 'build/serve.js'], environment, (text) => {
		said = (said + text).slice(-4000);
		if (!environment.LIMEN_QUIET) process.stdout.write(text);
	});
	await whenReady(child, 'application', publicUrl(settings), () => said);
	return child;
}

/** Starts the simulated units and their yard. */
export async function startYard(settings: Settings, environment: NodeJS.ProcessEnv = {}) {
	let said = '';
	const child = startProgram(
		'yard',
		[...TSX, 'standins/main.ts'],
		{
			YARD_HOST: settings.LIMEN_HOST,
			YARD_PORT: String(settings.LIMEN_YARD_PORT),
			YARD_UNITS,
			YARD_STATE: join(settings.LIMEN_STATE_DIR, 'yard', 'flash.json'),
			YARD_PACE: String(settings.LIMEN_YARD_PACE),
			YARD_BOOTSTRAP_PORT: String(settings.LIMEN_PORT),
			...environment
		},
		(text) => (said = (said + text).slice(-4000))
	);
	await whenReady(child, 'yard', `http://${settings.LIMEN_HOST}:${settings.LIMEN_YARD_PORT}/`, () => said);
	return child;
}

async function runUntilStopped(settings: Settings, start: () => Promise<void>): Promise<void> {
	let stopping = false;
	const stop = async (code: number) => {
		if (stopping) return;
		stopping = true;
		say('\nStopping …');
		await stopPrograms();
		stopCluster(settings);
		process.exit(code);
	};
	for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void stop(0));
	try {
		await start();
	} catch (error) {
		console.error(error instanceof Problem ? error.message : error);
		await stop(1);
	}
	welcome(settings);
	await new Promise(() => undefined);
}

function welcome(settings: Settings): void {
	const note = existsSync('demo/delivery-note.csv') ? 'demo/delivery-note.csv' : 'the delivery note';
	say(`
Limen is at          ${publicUrl(settings)}
The yard is at       http://${settings.LIMEN_HOST}:${settings.LIMEN_YARD_PORT}   (simulated units: power, cables, faults)

Try first:
  1. Arrivals: units are coming online now, some are stuck. Open one and read why.
  2. Intake: choose Marlstone Veterinary and paste ${note}.
  3. Sites: open one, bind a unit to a position, then give it power in the yard.

Ctrl-C stops everything.
`);
}
