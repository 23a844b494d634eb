import type { ChildProcess } from 'node:child_process';
import { existsSync, statfsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { currentSettings, PORTS, publicUrl, type Settings } from '../src/lib/server/settings';
import { firstAdministratorLink } from '../src/lib/server/people';
import { build, buildPrograms } from './build';
import { closeDatabase, migrate, startCluster, stopCluster } from './cluster';
import { actAlwaysAs, databaseUrl, jobsUrl, SETUP } from '../src/lib/server/database';
import {
	DEMO_PASSWORD,
	loadConnector,
	loadHealth,
	loadHistory,
	loadWebhook,
	loadImages,
	loadPatterns,
	loadCohorts,
	loadGroups,
	loadPeople,
	loadPlan,
	loadPools,
	loadSecrets,
	loadWindows,
	loadUnits
} from './demo';
import { takeLock } from './running/lock';
import { freePort, portGetsFree } from './running/ports';
import { LEAST_FREE_BYTES } from './doctor/machine';
import { Problem, say } from './problem';
import { startProgram, stopPrograms, whenReady } from './running/processes';
import { Supervisor } from './running/supervise';
import {
	DEMO_BOOTSTRAP_NAME,
	DEMO_CLIENT_SECRET,
	YARD_REGISTRIES,
	demoOnly,
	demoRegistries
} from './demo-settings';

const YARD_UNITS = fileURLToPath(new URL('../demo/yard.json', import.meta.url));
const TSX = [process.execPath, '--import', 'tsx'];

/** The whole of Limen with the demo's world, until Ctrl-C. */
export async function demo(): Promise<void> {
	const settings = currentSettings();
	await prepare(settings);
	await build();
	refuseOpenDemo(settings);
	await migrate(settings, { demo: true });
	await loadWorld();
	await runUntilStopped(settings, async (supervisor) => {
		await supervisor.keep('application', () =>
			startApplication(settings, {
				LIMEN_LOG_LEVEL: process.env.LIMEN_LOG_LEVEL ?? 'warn',
				...demoOnly(settings)
			})
		);
		await supervisor.keep('yard', () => startYard(settings));
		welcome(settings);
	});
}

/** Brings in the demo's world, as far as it is not there. */
async function loadWorld(): Promise<void> {
	actAlwaysAs(SETUP);
	const fresh = (await loadPlan()) > 0;
	await loadPeople();
	await loadImages();
	// Only the first time: what people did since is theirs
	if (fresh) {
		await loadGroups();
		await loadPools();
		await loadPatterns();
		await loadWindows();
		await loadSecrets();
		await loadUnits(demoRegistries(currentSettings()));
		await loadHistory();
		await loadHealth();
		await loadCohorts();
		await loadWebhook();
		await loadConnector();
	}
	await closeDatabase();
}

/** The application with Vite's development server, for working on it, and the yard beside it. */
export async function dev(): Promise<void> {
	const settings = currentSettings();
	await prepare(settings);
	buildPrograms();
	refuseOpenDemo(settings);
	await migrate(settings, { demo: true });
	await loadWorld();
	await runUntilStopped(settings, async (supervisor) => {
		await supervisor.keep('application', () => startDevelopment(settings));
		await supervisor.keep('yard', () => startYard(settings, {}, false));
		welcome(settings);
	});
}

/** Vite bundles every package before it answers the first request: on a busy machine that takes minutes. */
const BUNDLING_MS = 300_000;

/** The application under Vite's development server. */
async function startDevelopment(settings: Settings): Promise<ChildProcess> {
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
	const child = startProgram(
		'application',
		command,
		{ ...applicationOnly(settings), ...demoOnly(settings) },
		(text) => {
			said = (said + text).slice(-4000);
			process.stdout.write(text);
		}
	);
	await whenReady(child, 'application', publicUrl(settings), () => said, BUNDLING_MS);
	return child;
}

/** The application alone, for a real network: no demo, no stand-ins. Prints the way in for the first administrator. */
export async function serve(): Promise<void> {
	const settings = currentSettings();
	await prepare(
		settings,
		PORTS.filter((variable) => !variable.startsWith('LIMEN_YARD'))
	);
	await build();
	await migrate(settings);
	const link = await firstAdministratorLink();
	await closeDatabase();
	await runUntilStopped(settings, async (supervisor) => {
		await supervisor.keep('application', () => startApplication(settings));
		say(`\nLimen is at ${publicUrl(settings)}`);
		if (link)
			say(`There is no administrator yet. Whoever opens this link within a day becomes the first:\n${link}`);
		say('Ctrl-C stops everything.');
	});
}

/** What the start command began before it was killed ends within this, and its ports are free. */
const ON_ITS_WAY_OUT_MS = 15_000;

async function prepare(settings: Settings, ports: readonly (typeof PORTS)[number][] = PORTS): Promise<void> {
	const wasKilled = takeLock(settings);
	refuseFullDisk(statfsSync(settings.LIMEN_STATE_DIR));
	for (const variable of ports) {
		// The database's is asked for when its cluster is started
		if (variable === 'LIMEN_DATABASE_PORT') continue;
		const port = settings[variable];
		const datagrams = variable === 'LIMEN_EVENTS_PORT';
		const isFree = (patience: number) => portGetsFree(port, settings.LIMEN_HOST, { datagrams, patience });
		if (await isFree(0)) continue;
		if (wasKilled) say(`What ran here before is still on its way out; waiting for port ${port} …`);
		if (!wasKilled || !(await isFree(ON_ITS_WAY_OUT_MS)))
			throw new Problem(
				`Port ${port} is in use by another program; set ${variable} to a free one, such as ${await freePort()}.`
			);
	}
	await startCluster(settings);
}

/** The application gets its own way into the database, and never the owner's. */
const applicationOnly = (settings: Settings): NodeJS.ProcessEnv => ({
	LIMEN_DATABASE_URL: undefined,
	LIMEN_DATABASE_APPLICATION_URL: databaseUrl(settings),
	LIMEN_DATABASE_JOBS_URL: jobsUrl(settings)
});

/** The demo's people have a password that everybody can read: it is for this machine alone. */
function refuseOpenDemo({ LIMEN_HOST }: Settings): void {
	if (!/^(127\.\d+\.\d+\.\d+|::1|localhost)$/.test(LIMEN_HOST))
		throw new Problem(
			`The demo is for this machine alone: LIMEN_HOST is ${LIMEN_HOST}. Without the demo: ./limen serve`
		);
}

/** Better said before than by PostgreSQL in the middle. */
export function refuseFullDisk({ bavail, bsize }: { bavail: number; bsize: number }): void {
	if (bavail * bsize < LEAST_FREE_BYTES)
		throw new Problem(
			`The disk is nearly full: ${Math.floor((bavail * bsize) / 1024 / 1024)} MB free, Limen needs ${LEAST_FREE_BYTES / 1024 / 1024} MB to start.`
		);
}

/** On this machine itself, whatever stands before it for others. */
const hereAt = ({ LIMEN_HOST: host }: Settings, port: number): string =>
	`http://${host.includes(':') ? `[${host}]` : host}:${port}`;

/** Starts the built application and waits until it answers. */
export async function startApplication(settings: Settings, environment: NodeJS.ProcessEnv = {}) {
	let said = '';
	const command = [process.execPath, settings.LIMEN_PROCESSES > 1 ? 'build/many.js' : 'build/serve.js'];
	const child = startProgram(
		'application',
		command,
		{ ...applicationOnly(settings), ...environment },
		(text) => {
			said = (said + text).slice(-4000);
			if (!environment.LIMEN_QUIET) process.stdout.write(text);
		}
	);
	await whenReady(child, 'application', `${hereAt(settings, settings.LIMEN_PORT)}/healthz`, () => said);
	return child;
}

/** Starts the simulated units and their yard. They call over TLS, unless the application runs without (in development). */
export async function startYard(settings: Settings, environment: NodeJS.ProcessEnv = {}, secure = true) {
	let said = '';
	const child = startProgram(
		'yard',
		[...TSX, 'standins/main.ts'],
		{
			YARD_HOST: settings.LIMEN_HOST,
			YARD_PORT: String(settings.LIMEN_YARD_PORT),
			YARD_UNITS,
			YARD_REGISTRIES,
			YARD_INVENTORY: 'demo/inventory.json',
			YARD_STATE: join(settings.LIMEN_STATE_DIR, 'yard', 'flash.json'),
			YARD_PACE: String(settings.LIMEN_YARD_PACE),
			YARD_MAIL_PORT: String(settings.LIMEN_YARD_MAIL_PORT),
			YARD_EVENTS_PORT: String(settings.LIMEN_EVENTS_PORT),
			YARD_SSH_PORT: String(settings.LIMEN_YARD_SSH_PORT),
			YARD_IDENTITY_PORT: String(settings.LIMEN_YARD_IDENTITY_PORT),
			YARD_IDENTITY_PEOPLE: 'demo/identity.json',
			YARD_IDENTITY_CALLBACK: `${publicUrl(settings)}/sign-in/firm/back`,
			YARD_IDENTITY_SECRET: DEMO_CLIENT_SECRET,
			YARD_BOOTSTRAP_NAME: DEMO_BOOTSTRAP_NAME,
			YARD_BOOTSTRAP_PORT: String(secure ? settings.LIMEN_REDIRECT_PORT : settings.LIMEN_PORT),
			...(secure && { YARD_TRUST: join(settings.LIMEN_STATE_DIR, 'keys', 'bootstrap.crt') }),
			...environment
		},
		(text) => (said = (said + text).slice(-4000))
	);
	await whenReady(child, 'yard', `${hereAt(settings, settings.LIMEN_YARD_PORT)}/`, () => said);
	return child;
}

async function runUntilStopped(
	settings: Settings,
	start: (supervisor: Supervisor) => Promise<void>
): Promise<void> {
	let stopping = false;
	const supervisor = new Supervisor(settings.LIMEN_STATE_DIR, (words) => {
		console.error(words);
		void stop(1);
	});
	const stop = async (code: number) => {
		if (stopping) return;
		stopping = true;
		supervisor.stop();
		say('\nStopping …');
		await stopPrograms();
		stopCluster(settings);
		process.exit(code);
	};
	for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void stop(0));
	supervisor.watchCluster(settings);
	try {
		await start(supervisor);
	} catch (error) {
		console.error(error instanceof Problem ? error.message : error);
		await stop(1);
	}
	await new Promise(() => undefined);
}

function welcome(settings: Settings): void {
	const note = existsSync('demo/delivery-note.csv') ? 'demo/delivery-note.csv' : 'the delivery note';
	say(`
Limen is at          ${publicUrl(settings)}
The yard is at       http://${settings.LIMEN_HOST}:${settings.LIMEN_YARD_PORT}   (simulated units: power, cables, faults)

Sign in as any of the people on the list; when asked again who you are: ${DEMO_PASSWORD}
Letters are read at   http://${settings.LIMEN_HOST}:${settings.LIMEN_YARD_PORT}/letters

Try first:
  1. Arrivals: units are coming online now, some are stuck. Open one and read why.
  2. Intake: choose Marlstone Veterinary and paste ${note}.
  3. Sites: open one, bind a unit to a position, then give it power in the yard.

Ctrl-C stops everything.
`);
}
