import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import pg from 'pg';
import { removeCluster } from '../../command/cluster';
import { freePort, portIsFree } from '../../command/running/ports';
import { ownerUrl } from '../../src/lib/server/database';
import { PORTS, readSettings, type Settings } from '../../src/lib/server/settings';

/**
 * The start command through a whole life, in a state directory and with a cluster of its own. The
 * directory is closed to others: root's cluster then lies with the user who runs it.
 */
describe('the life of the start command', () => {
	let settings: Settings;
	/** Whatever a test that failed left behind. */
	const running = new Set<ChildProcess>();
	const environment: Record<string, string> = {};

	before(async () => {
		environment.LIMEN_STATE_DIR = mkdtempSync(join(tmpdir(), 'limen-life-'));
		for (const name of PORTS) environment[name] = String(await freePort());
		settings = readSettings(environment);
	});

	after(async () => {
		for (const child of running) await end(child, 'SIGTERM');
		removeCluster(settings);
		rmSync(settings.LIMEN_STATE_DIR, { recursive: true, force: true });
	});

	async function start(name: 'demo' | 'dev'): Promise<{ child: ChildProcess; said: string }> {
		const inherited = { ...process.env };
		delete inherited.LIMEN_DATABASE_URL;
		const child = spawn(process.execPath, ['--import', 'tsx', 'command/main.ts', name], {
			env: { ...inherited, ...environment, LIMEN_LOG_LEVEL: 'error' },
			stdio: ['ignore', 'pipe', 'pipe']
		});
		running.add(child);
		child.once('exit', () => running.delete(child));
		let said = '';
		await new Promise<void>((resolve, reject) => {
			const hear = (text: Buffer) => {
				said += text.toString();
				if (said.includes('Ctrl-C stops everything')) resolve();
			};
			child.stdout.on('data', hear);
			child.stderr.on('data', hear);
			child.once('exit', () => reject(new Error(`It ended early:\n${said}`)));
		});
		return { child, said };
	}

	async function end(child: ChildProcess, signal: NodeJS.Signals): Promise<number | null> {
		const ended = once(child, 'exit');
		child.kill(signal);
		return ((await ended) as [number | null])[0];
	}

	/** How much of everything there is. */
	async function census(): Promise<Record<string, number>> {
		const client = new pg.Client({ connectionString: ownerUrl(settings) });
		await client.connect();
		const { rows } = await client.query(
			`select (select count(*)::int from customer) as customers, (select count(*)::int from position) as positions,
				(select count(*)::int from unit) as units, (select count(*)::int from batch) as batches,
				(select count(*)::int from binding) as bindings, (select count(*)::int from image) as images,
				(select count(*)::int from person) as people,
				(select count(*)::int from ledger_entry where act in ('claim', 'bind')) as acts`
		);
		await client.end();
		return rows[0];
	}

	const portsAreFree = () => Promise.all(PORTS.map((name) => portIsFree(settings[name], '127.0.0.1')));

	it('makes everything, answers, and is whole again after a kill -9: nothing lost, nothing doubled', async () => {
		const first = await start('demo');
		expect(first.said).to.include('Making a private PostgreSQL cluster');
		if (process.getuid?.() === 0)
			expect(readFileSync(join(settings.LIMEN_STATE_DIR, 'cluster-folder'), 'utf8')).to.match(
				/^\/var\/lib\/postgresql\/limen-/
			);
		const before = await census();
		expect(before.customers).to.be.greaterThan(0);
		expect(before.bindings).to.be.greaterThan(0);
		await end(first.child, 'SIGKILL');

		const second = await start('demo');
		expect(second.said).to.not.include('Making a private');
		expect(await census()).to.deep.equal(before);
		expect((await fetch(`http://127.0.0.1:${settings.LIMEN_PORT}/readyz`)).status).to.equal(200);
		expect(await end(second.child, 'SIGINT')).to.equal(0);
		expect(await portsAreFree()).to.deep.equal(PORTS.map(() => true));
	});

	it('serves its own source for those who work on it, and stops that too', async () => {
		const { child } = await start('dev');
		const source = await fetch(`http://127.0.0.1:${settings.LIMEN_PORT}/src/app.css`);
		expect(await source.text()).to.include('import.meta.hot');
		expect(await end(child, 'SIGINT')).to.equal(0);
		expect(await portsAreFree()).to.deep.equal(PORTS.map(() => true));
	});
});
