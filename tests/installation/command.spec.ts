import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { clusterFolder } from '../../command/cluster';
import { lockOwner, releaseLock, takeLock } from '../../command/running/lock';
import { refuseFullDisk } from '../../command/limen';
import { need } from '../../command/packages';
import { freePort, portIsFree } from '../../command/running/ports';
import { readSettings } from '../../src/lib/server/settings';

const settings = () => readSettings({ LIMEN_STATE_DIR: mkdtempSync(join(tmpdir(), 'limen-lock-')) });

describe('the start command', () => {
	it('takes over a lock whose process is gone or is another program, and gives it back', () => {
		for (const stale of ['999999999', '1', 'rubbish', '']) {
			const own = settings();
			writeFileSync(join(own.LIMEN_STATE_DIR, 'lock'), stale);
			expect(lockOwner(own)).to.equal(null);
			expect(takeLock(own)).to.equal(true);
			expect(readFileSync(join(own.LIMEN_STATE_DIR, 'lock'), 'utf8')).to.equal(String(process.pid));
			releaseLock(own);
			expect(() => readFileSync(join(own.LIMEN_STATE_DIR, 'lock'))).to.throw(/ENOENT/);
		}
	});

	it('does not release a lock that is another’s', () => {
		const own = settings();
		writeFileSync(join(own.LIMEN_STATE_DIR, 'lock'), '1');
		releaseLock(own);
		expect(readFileSync(join(own.LIMEN_STATE_DIR, 'lock'), 'utf8')).to.equal('1');
	});

	it('never leaves a database that is there for an empty one elsewhere', () => {
		// Closed to everybody else, as a home can be: a new one would be made where its server can enter
		const { LIMEN_STATE_DIR: state } = settings();
		const here = join(state, 'postgres');
		mkdirSync(here);
		writeFileSync(join(here, 'PG_VERSION'), '15');
		expect(clusterFolder(readSettings({ LIMEN_STATE_DIR: state }))).to.equal(here);
		expect(readdirSync(state)).to.deep.equal(['postgres']);
	});

	it('knows whether a port is free', async () => {
		const server = createServer();
		await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
		const { port } = server.address() as AddressInfo;
		expect(await portIsFree(port, '127.0.0.1')).to.equal(false);
		await new Promise((resolve) => server.close(resolve));
		expect(await portIsFree(await freePort(), '127.0.0.1')).to.equal(true);
	});

	it('says which command installs what is missing, when it may not do so itself', () => {
		expect(() => need('postgresql', () => false, false)).to.throw(
			'The Debian package “postgresql” is missing. Install it with: sudo apt-get update && sudo apt-get install -y --no-install-recommends postgresql'
		);
		need('postgresql', () => true, false);
	});

	it('does not begin on a disk that is nearly full', () => {
		expect(() => refuseFullDisk({ bavail: 25_600, bsize: 4096 })).to.throw(
			'The disk is nearly full: 100 MB free, Limen needs 400 MB to start.'
		);
		refuseFullDisk({ bavail: 102_400, bsize: 4096 });
	});

	it('says in one sentence what is wrong, and ends with a status to match', async () => {
		const server = createServer();
		await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
		const { port } = server.address() as AddressInfo;
		const run = (name: string, environment: Record<string, string>) =>
			spawnSync(process.execPath, ['--import', 'tsx', 'command/main.ts', ...(name ? [name] : [])], {
				encoding: 'utf8',
				env: { ...process.env, ...environment }
			});
		const state = settings().LIMEN_STATE_DIR;
		const taken = run('demo', { LIMEN_STATE_DIR: state, LIMEN_PORT: String(port) });
		expect(taken.stderr.trim()).to.match(
			new RegExp(`^Port ${port} is in use by another program; set LIMEN_PORT to a free one, such as \\d+\\.$`)
		);
		expect(taken.status).to.equal(1);
		const wrong = run('demo', { LIMEN_STATE_DIR: state, LIMEN_PORT: 'high' });
		expect([wrong.stderr.trim(), wrong.status]).to.deep.equal([
			'Settings: LIMEN_PORT must be a port number.',
			1
		]);
		expect(run('dance', {}).stderr).to.match(/^Usage/);
		expect(run('', {}).status).to.equal(0);
		await new Promise((resolve) => server.close(resolve));
	});
});
