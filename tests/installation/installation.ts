import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import pg from 'pg';
import { removeCluster, startCluster } from '../../command/cluster';
import { freePort } from '../../command/running/ports';
import { ownerUrl } from '../../src/lib/server/database';
import { PORTS, readSettings, type Settings } from '../../src/lib/server/settings';

export const ADMINISTRATOR_PASSWORD = 'a field of sallow trees';

/** A real installation of its own, started by the start command, whose processes a test may kill. */
export class Installation {
	readonly settings: Settings;
	readonly environment: NodeJS.ProcessEnv;
	#command: ChildProcess | null = null;
	/** All that the start command said since it was last started. */
	said = '';
	/** The application's log, of all its lives. */
	log = '';

	private constructor(own: Record<string, string>) {
		this.settings = readSettings(own);
		this.environment = { ...process.env, ...own, LIMEN_LOG_LEVEL: 'info' };
		delete this.environment.LIMEN_DATABASE_URL;
		delete this.environment.LIMEN_OIDC_ISSUER;
	}

	/** `more`: further settings, or what makes them of those that it has by now; `folder`: where it is, if not in one of its own. */
	static async create(
		more: Record<string, string> | ((settings: Settings) => Record<string, string>) = {},
		folder = mkdtempSync(join(tmpdir(), 'limen-installation-'))
	): Promise<Installation> {
		const own: Record<string, string> = { LIMEN_STATE_DIR: folder };
		for (const name of PORTS) own[name] = String(await freePort());
		return new Installation({ ...(typeof more === 'function' ? more(readSettings(own)) : more), ...own });
	}

	/** From now on the clock of what is started here can be set; that of the database stays right. */
	withClock(): void {
		this.environment.NODE_OPTIONS = `--import ${new URL('../soak/clock.mjs', import.meta.url).href}`;
		this.environment.SOAK_CLOCK = this.#clock;
	}
	/** How far off it is, in milliseconds. */
	setClock(off: number): void {
		writeFileSync(this.#clock, String(off));
	}
	get #clock(): string {
		return join(this.settings.LIMEN_STATE_DIR, 'clock');
	}

	/** `./limen serve`; resolves when it is up. */
	async start(): Promise<void> {
		const child = spawn(process.execPath, ['--import', 'tsx', 'command/main.ts', 'serve'], {
			env: this.environment,
			stdio: ['ignore', 'pipe', 'pipe']
		});
		this.#command = child;
		this.said = '';
		await new Promise<void>((resolve, reject) => {
			const hear = (text: Buffer) => {
				this.said += text.toString();
				this.log += text.toString();
				if (this.said.includes('Ctrl-C stops everything')) resolve();
			};
			child.stdout.on('data', hear);
			child.stderr.on('data', hear);
			child.once('exit', () => reject(new Error(`It ended early:\n${this.said}`)));
		});
	}

	/** Another of the start command's commands, or a script of the tests. */
	run(...parameters: string[]): { status: number | null; stdout: string; stderr: string } {
		return spawnSync(process.execPath, ['--import', 'tsx', ...parameters], {
			env: this.environment,
			encoding: 'utf8'
		});
	}
	limen(...parameters: string[]) {
		return this.run('command/main.ts', ...parameters);
	}

	url(path: string): string {
		return `http://127.0.0.1:${this.settings.LIMEN_PORT}${path}`;
	}

	/** Ends the start command in order, and with it all that it started. */
	async stop(): Promise<void> {
		const child = this.#command;
		this.#command = null;
		if (!child) return;
		const gone = new Promise((resolve) => child.once('exit', resolve));
		child.kill('SIGTERM');
		await gone;
	}

	/** The application's process and its start command, with -9; the database goes on. */
	async killApplication(): Promise<void> {
		const child = this.#command!;
		this.#command = null;
		const all = [child.pid!, ...childrenOf(child.pid!)];
		for (const pid of all) process.kill(pid, 'SIGKILL');
		await untilGone(all);
	}

	/** The start command alone, with -9; resolves when all that it began has ended by itself. The database goes on. */
	async killCommandAlone(): Promise<void> {
		const child = this.#command!;
		this.#command = null;
		const begun = descendantsOf(child.pid!);
		process.kill(child.pid!, 'SIGKILL');
		await untilGone([child.pid!, ...begun]);
	}

	/** The application's process alone, with -9: its start command is to notice. */
	async killApplicationAlone(): Promise<void> {
		const pid = this.application();
		process.kill(pid, 'SIGKILL');
		await untilGone([pid]);
	}

	/** One of the processes that share its ports, with -9; that one is the first unless another is named. */
	async killOneOfMany(pid = this.oneOfMany()): Promise<void> {
		process.kill(pid, 'SIGKILL');
		await untilGone([pid]);
	}
	oneOfMany(): number {
		return childrenOf(this.application('many'))[0]!;
	}
	/** The application's process, or the one that began several. */
	application(program: 'serve' | 'many' = 'serve'): number {
		return childrenOf(this.#command!.pid!).find((one) =>
			readFileSync(`/proc/${one}/cmdline`, 'utf8').includes(`build/${program}.js`)
		)!;
	}

	/** Waits until the start command says something. */
	async untilSaid(words: RegExp): Promise<void> {
		// Another process's output: it comes when it comes
		while (!words.test(this.said)) await sleep(50);
	}

	/** How the start command ended, once it has. */
	async untilEnded(): Promise<number | null> {
		const child = this.#command!;
		if (child.exitCode === null && child.signalCode === null) await once(child, 'exit');
		this.#command = null;
		return child.exitCode;
	}

	/** The postmaster and every process of its, all at once, as a power cut would. */
	async killPostgres(): Promise<void> {
		const note = join(this.settings.LIMEN_STATE_DIR, 'cluster-folder');
		const folder = existsSync(note)
			? readFileSync(note, 'utf8').trim()
			: join(this.settings.LIMEN_STATE_DIR, 'postgres');
		const postmaster = Number(readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n')[0]);
		const all = [postmaster, ...childrenOf(postmaster)];
		for (const pid of all) process.kill(pid, 'SIGKILL');
		await untilGone(all);
	}

	startPostgres(): Promise<void> {
		return startCluster(this.settings);
	}

	async query<Row>(sql: string, values: unknown[] = []): Promise<Row[]> {
		const client = new pg.Client({ connectionString: ownerUrl(this.settings) });
		// A database that dies between two queries says so here as well; whoever asks it then hears of it
		client.on('error', () => {});
		await client.connect();
		try {
			return (await client.query(sql, values)).rows as Row[];
		} finally {
			await client.end();
		}
	}

	async remove(): Promise<void> {
		await this.stop();
		removeCluster(this.settings);
		rmSync(this.settings.LIMEN_STATE_DIR, { recursive: true, force: true });
	}

	/** The first administrator, made by the link on the console; their session's cookie. */
	async firstAdministrator(): Promise<string> {
		const link = /http:\/\/\S+\/ticket\/\S+/.exec(this.said)![0];
		const answer = await this.form(new URL(link).pathname, {
			name: 'Perrin Holt',
			email: 'perrin.holt@tests.example',
			password: ADMINISTRATOR_PASSWORD
		});
		return answer.headers.getSetCookie()[0]!.split(';')[0]!;
	}

	/** Whether anything answers at its address. */
	answers(): Promise<boolean> {
		return fetch(this.url('/healthz')).then(
			() => true,
			() => false
		);
	}

	form(path: string, fields: Record<string, string> | URLSearchParams, cookie = ''): Promise<Response> {
		return fetch(this.url(path), {
			method: 'POST',
			body: new URLSearchParams(fields),
			redirect: 'manual',
			headers: { origin: this.url(''), cookie }
		});
	}
}

const childrenOf = (pid: number): number[] =>
	readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ').filter(Boolean).map(Number);

const descendantsOf = (pid: number): number[] =>
	childrenOf(pid).flatMap((child) => [child, ...descendantsOf(child)]);

async function untilGone(pids: readonly number[]): Promise<void> {
	for (const pid of pids) while (alive(pid)) await sleep(20);
}

/** A process that has ended but was not waited for by its parent is dead all the same, once its last thread is. */
function alive(pid: number): boolean {
	try {
		const ended = /^State:\s+[ZX]/m.test(readFileSync(`/proc/${pid}/status`, 'utf8'));
		return !ended || readdirSync(`/proc/${pid}/task`).length > 1;
	} catch {
		return false;
	}
}
