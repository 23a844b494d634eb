import { execFileSync, spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import {
	chmodSync,
	chownSync,
	existsSync,
	mkdirSync,
	readFileSync,
	rmSync,
	statSync,
	writeFileSync
} from 'node:fs';
import { dirname, join } from 'node:path';
import type { Settings } from '../../src/lib/server/settings';
import { freePort, portIsFree } from '../running/ports';
import { postgresPrograms } from '../packages';
import { Problem, say } from '../problem';

/**
 * The private PostgreSQL cluster: on loopback only, with a password of its own, under the state
 * directory. PostgreSQL refuses to run as root, so root runs it as Debian's postgres user.
 */
const SERVER_USER = 'postgres';
const isRoot = () => process.getuid?.() === 0;

/** For a cluster that nobody needs after a power cut: it waits for no disk. */
const FLEETING = ' -c fsync=off -c synchronous_commit=off -c full_page_writes=off';

/** For benches. */
const COUNTED = ' -c shared_preload_libraries=pg_stat_statements -c pg_stat_statements.track=all';

/**
 * Starts the cluster, made anew if there is none. Clean after a kill -9: PostgreSQL recovers from its own
 * log. A `fleeting` one, for tests, need not outlive its machine; a `counted` one says how much each statement read.
 */
export async function startCluster(
	settings: Settings,
	{ fleeting = false, counted = false } = {}
): Promise<void> {
	if (settings.LIMEN_DATABASE_URL) return;
	const programs = postgresPrograms();
	const folder = clusterFolder(settings);
	if (!existsSync(join(folder, 'PG_VERSION'))) create(programs, folder, settings);
	forgetDeadServer(folder);
	if (isRunning(programs, folder)) {
		if (runningPort(folder) === settings.LIMEN_DATABASE_PORT) return;
		stop(programs, folder);
	}
	if (!(await portIsFree(settings.LIMEN_DATABASE_PORT, '127.0.0.1')))
		throw new Problem(
			`Port ${settings.LIMEN_DATABASE_PORT} is in use by another program; set LIMEN_DATABASE_PORT to a free one, such as ${await freePort()}.`
		);
	const log = join(folder, 'server.log');
	const options = `-p ${settings.LIMEN_DATABASE_PORT} -c listen_addresses=127.0.0.1 -c unix_socket_directories=${fleeting ? FLEETING : ''}${counted ? COUNTED : ''}`;
	const started = asServer([
		`${programs}/pg_ctl`,
		'-D',
		folder,
		'-l',
		log,
		'-o',
		options,
		'-w',
		'-t',
		'60',
		'start'
	]);
	if (started.status !== 0) throw new Problem(`PostgreSQL did not start. The end of its log:\n${tail(log)}`);
}

/** Whether the cluster's server lives: its process is there and has not ended. */
export function clusterRuns(settings: Settings): boolean {
	const note = join(clusterFolder(settings), 'postmaster.pid');
	if (!existsSync(note)) return false;
	const status = `/proc/${readFileSync(note, 'utf8').split('\n')[0]}/status`;
	return existsSync(status) && !/^State:\s+[ZX]/m.test(readFileSync(status, 'utf8'));
}

/** Stops the cluster; does nothing when it does not run. */
export function stopCluster(settings: Settings): boolean {
	const folder = clusterFolder(settings);
	if (settings.LIMEN_DATABASE_URL || !existsSync(join(folder, 'PG_VERSION'))) return false;
	const programs = postgresPrograms();
	if (!isRunning(programs, folder)) return false;
	stop(programs, folder);
	return true;
}

export function removeCluster(settings: Settings): void {
	stopCluster(settings);
	rmSync(clusterFolder(settings), { recursive: true, force: true });
	rmSync(join(settings.LIMEN_STATE_DIR, 'cluster-folder'), { force: true });
}

/**
 * Under the state directory, unless the server's user cannot get there (a home that is closed to
 * others): then in that user's own home, under a name that belongs to this directory.
 */
export function clusterFolder(settings: Settings): string {
	const note = join(settings.LIMEN_STATE_DIR, 'cluster-folder');
	if (existsSync(note)) return readFileSync(note, 'utf8').trim();
	const here = join(settings.LIMEN_STATE_DIR, 'postgres');
	// What is there is never left for another: whoever asks may be on the way out, and told nothing
	if (existsSync(join(here, 'PG_VERSION'))) return here;
	if (!isRoot() || !existsSync(settings.LIMEN_STATE_DIR) || reachable(settings.LIMEN_STATE_DIR)) return here;
	const name = createHash('sha256').update(settings.LIMEN_STATE_DIR).digest('hex').slice(0, 12);
	const elsewhere = `/var/lib/postgresql/limen-${name}`;
	writeFileSync(note, `${elsewhere}\n`);
	say(
		`The user ${SERVER_USER} cannot enter ${settings.LIMEN_STATE_DIR}; the database lies in ${elsewhere} instead.`
	);
	return elsewhere;
}

/** Whether the server's user can enter a folder; what ended before it could tell says nothing. */
const reachable = (folder: string) =>
	spawnSync('runuser', ['-u', SERVER_USER, '--', 'test', '-x', folder]).status !== 1;

function create(programs: string, folder: string, settings: Settings): void {
	say('Making a private PostgreSQL cluster …');
	const keys = join(settings.LIMEN_STATE_DIR, 'keys');
	mkdirSync(keys, { recursive: true });
	chmodSync(keys, 0o700);
	const password = randomBytes(24).toString('base64url');
	rmSync(folder, { recursive: true, force: true });
	mkdirSync(folder, { recursive: true, mode: 0o700 });
	// initdb wants an empty folder and reads the password from a file its user can read
	const passwordFile = join(dirname(folder), `.first-password-${process.pid}`);
	writeFileSync(passwordFile, password, { mode: 0o600 });
	try {
		if (isRoot()) for (const path of [folder, passwordFile]) chownSync(path, serverId('-u'), serverId('-g'));
		const made = asServer([
			`${programs}/initdb`, '-D', folder, '-U', 'limen', '--auth=scram-sha-256', `--pwfile=${passwordFile}`,
			'--encoding=UTF8', '--locale=C.UTF-8'
		]); // prettier-ignore
		if (made.status !== 0) {
			rmSync(folder, { recursive: true, force: true });
			throw new Problem(`The database cluster could not be made:\n${made.stderr}`);
		}
	} finally {
		rmSync(passwordFile, { force: true });
	}
	writeFileSync(join(keys, 'database.password'), password, { mode: 0o600 });
}

const serverId = (flag: '-u' | '-g') => Number(execFileSync('id', [flag, SERVER_USER], { encoding: 'utf8' }));

function asServer(command: readonly string[]): { status: number | null; stderr: string } {
	const [program, ...parameters] = isRoot() ? ['runuser', '-u', SERVER_USER, '--', ...command] : command;
	// A new session: Ctrl-C at the console must reach us alone, and we stop the server in order
	return spawnSync(program!, parameters, { encoding: 'utf8', cwd: '/', stdio: ['ignore', 'ignore', 'pipe'] });
}

/**
 * A server that was killed and that nobody has waited for still has its process number, and PostgreSQL
 * would take it for alive.
 */
function forgetDeadServer(folder: string): void {
	const note = join(folder, 'postmaster.pid');
	if (!existsSync(note)) return;
	const status = `/proc/${readFileSync(note, 'utf8').split('\n')[0]}/status`;
	if (existsSync(status) && /^State:\s+[ZX]/m.test(readFileSync(status, 'utf8'))) rmSync(note);
}

const isRunning = (programs: string, folder: string) =>
	asServer([`${programs}/pg_ctl`, '-D', folder, 'status']).status === 0;
const stop = (programs: string, folder: string) =>
	void asServer([`${programs}/pg_ctl`, '-D', folder, '-m', 'fast', '-w', 'stop']);

/** The fourth line of postmaster.pid. */
const runningPort = (folder: string) =>
	Number(readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n')[3]);

const tail = (path: string) =>
	existsSync(path) && statSync(path).size > 0
		? readFileSync(path, 'utf8').split('\n').slice(-8).join('\n')
		: '(empty)';
