import { execFile, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { createServer as createNetServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { expect } from 'chai';
import type { Finding } from '../../command/doctor/finding';
import { disk } from '../../command/doctor/machine';
import { need } from '../../command/packages';
import { freePort } from '../../command/running/ports';
import { issue } from '../../src/core/trust';
import { Installation } from './installation';

describe('the doctor', () => {
	let here: Installation;
	before(async () => {
		here = await Installation.create();
	});
	after(() => here.remove());

	/** What it finds, with other settings than the installation's, and how it ended. */
	const examine = (more: Record<string, string> = {}): Promise<{ findings: Finding[]; code: number }> =>
		new Promise((done) => {
			execFile(
				process.execPath,
				['--import', 'tsx', 'command/main.ts', 'doctor', '--json'],
				{ env: { ...here.environment, ...more } },
				(error, stdout) => done({ findings: JSON.parse(stdout), code: error ? Number(error.code) : 0 })
			);
		});
	const all = (findings: readonly Finding[], state: Finding['state'], what: string) =>
		findings.filter((one) => one.state === state && one.what === what).map(({ words }) => words);
	/** That one thing is wrong, with something to do, and is named by these words. */
	async function names(what: string, words: RegExp, more: Record<string, string> = {}): Promise<void> {
		const { findings, code } = await examine(more);
		expect(all(findings, 'wrong', what).join('\n'), JSON.stringify(findings)).to.match(words);
		expect(findings.every(({ state, todo }) => (state === 'well') === (todo === ''))).to.equal(true);
		expect(code).to.equal(1);
	}
	async function listening(server: Server, work: (port: number) => Promise<void>, port = 0): Promise<void> {
		const sockets = new Set<Socket>();
		server.on('connection', (socket: Socket) => sockets.add(socket));
		await new Promise<void>((done) => server.listen(port, '127.0.0.1', done));
		try {
			await work((server.address() as AddressInfo).port);
		} finally {
			for (const socket of sockets) socket.destroy();
			await new Promise<void>((done) => void server.close(() => done()));
		}
	}

	it('says before the first start what is still to come, and whose port is taken', async () => {
		const { findings } = await examine();
		expect(all(findings, 'watch', 'application')).to.have.length(1);
		expect(all(findings, 'wrong', 'keys').join()).to.include('claim.key');
		await listening(
			createNetServer(),
			() => names('ports', /Another program listens on \d+ \(LIMEN_PORT\)/),
			here.settings.LIMEN_PORT
		);
		await names('settings', /LIMEN_PORT must be a port number/, { LIMEN_PORT: 'x' });
	});

	describe('of an installation that runs', () => {
		before(() => here.start());

		it('finds nothing wrong', async () => {
			const { findings, code } = await examine();
			expect(findings.filter(({ state }) => state === 'wrong')).to.deep.equal([]);
			expect(code).to.equal(0);
			for (const what of [
				'application',
				'ports',
				'database',
				'migrations',
				'queue',
				'connections',
				'disk',
				'keys',
				'certificate'
			])
				expect(all(findings, 'well', what), what).to.have.length(1);
			const plain = here.limen('doctor');
			expect(plain.status).to.equal(0);
			expect(plain.stdout)
				.to.match(/well {3}database: PostgreSQL \d+/)
				.and.match(/\d+ well, \d+ to watch, 0 wrong\.\n$/);
		});

		it('names a mail server that is down, and letters that did not leave', async () => {
			await names('mail', /takes no letters: .*ECONNREFUSED/, {
				LIMEN_SMTP_URL: `smtp://127.0.0.1:${await freePort()}`
			});
			// Something listens that is no mail server and says nothing
			await listening(createNetServer(), (port) =>
				names('mail', /takes no letters/, { LIMEN_SMTP_URL: `smtp://127.0.0.1:${port}` })
			);
			await here.query(
				`insert into mail (to_address, subject, text, problem, given_up_at) values ('x@y.example', 'x', '', 'mailbox full', now())`
			);
			expect(all((await examine()).findings, 'watch', 'letters').join()).to.include('mailbox full');
			await here.query('delete from mail');
		});

		it('names a clock that is off by an hour', async () => {
			const late = createServer((_, response) =>
				response.writeHead(200, { date: new Date(Date.now() - 3_600_000).toUTCString() }).end()
			);
			await listening(late, (port) =>
				names('clock', /It is 3,(599|60\d) s ahead of that of 127\.0\.0\.1/, {
					LIMEN_REGISTRIES: `okapira=http://127.0.0.1:${port}`
				})
			);
		});

		it('names a certificate past its end, one of another key, and one of another name', async () => {
			const folder = mkdtempSync(join(tmpdir(), 'limen-doctor-'));
			const write = (name: string, text: string) => {
				writeFileSync(join(folder, name), text);
				return join(folder, name);
			};
			const made = (days: number) => issueFor('bootstrap.example', days);
			const [ended, good, other] = [await made(-1), await made(90), await made(90)];
			const pair = (one: Made, key = one.key) => ({
				LIMEN_TLS_CERTIFICATE: write('certificate.pem', one.certificate),
				LIMEN_TLS_KEY: write('key.pem', key)
			});
			await names('certificate', /It ended on \d{4}-/, pair(ended));
			await names('certificate', /is not its key/, pair(good, other.key));
			await names('certificate', /It is not for another\.example/, {
				...pair(good),
				LIMEN_BOOTSTRAP_NAME: 'another.example'
			});
			await names('certificate', /cannot be read/, {
				...pair(good),
				LIMEN_TLS_CERTIFICATE: write('x.pem', 'no certificate')
			});
			expect(
				all(
					(await examine({ ...pair(good), LIMEN_BOOTSTRAP_NAME: 'bootstrap.example' })).findings,
					'well',
					'certificate'
				)
			).to.have.length(1);
			expect(all((await examine(pair(await made(10)))).findings, 'watch', 'certificate')).to.have.length(1);
		});

		it('names jobs that nobody works, and a database that is newer or away', async () => {
			await here.query(
				`select limen_jobs.enqueue('of another version', '{}'::json, now() - interval '1 hour', 'planted')`
			);
			await names('queue', /1 jobs have been due for more than 15 minutes/);
			await here.query(`delete from limen_jobs._private_jobs where key = 'planted'`);
			await here.query(
				`insert into knex_migrations (name, batch, migration_time) values ('29991231_999_of_the_future.ts', 99, now())`
			);
			await names('migrations', /newer than this program: it has 29991231_999/);
			await here.query(`delete from knex_migrations where batch = 99`);
			await names('database', /does not answer/, {
				LIMEN_DATABASE_URL: `postgres://nobody@127.0.0.1:${await freePort()}/limen`
			});
		});

		it('names keys that others can read, a disk that is nearly full, and a provider that is none', async () => {
			const key = join(here.settings.LIMEN_STATE_DIR, 'keys', 'claim.key');
			chmodSync(key, 0o644);
			await names('keys', /Others on this machine can read claim\.key/);
			chmodSync(key, 0o600);
			const room = (free: number) => (() => ({ bavail: free, blocks: 1_000_000, bsize: 4096 })) as never;
			expect(disk(here.settings, room(1_000))).to.include({ state: 'wrong' });
			expect(disk(here.settings, room(99_999)).state).to.equal('wrong');
			expect(disk(here.settings, room(110_000)).state).to.equal('well');
			const html = createServer((_, response) =>
				response.writeHead(200, { 'content-type': 'text/html' }).end('<html>')
			);
			await listening(html, (port) =>
				names('identity provider', /does not answer as one/, {
					LIMEN_OIDC_ISSUER: `http://127.0.0.1:${port}`
				})
			);
		});
	});
});

describe('the unit file', () => {
	it('is as systemd wants it, and begins what is there', () => {
		need('systemd', () => existsSync('/usr/bin/systemd-analyze'));
		const file = join(mkdtempSync(join(tmpdir(), 'limen-unit-')), 'limen.service');
		const verify = (text: string) => {
			writeFileSync(file, text);
			const { status, stdout, stderr } = spawnSync('systemd-analyze', ['verify', file], { encoding: 'utf8' });
			return { status, said: (stdout + stderr).trim() };
		};
		const unit = readFileSync('deploy/limen.service', 'utf8').replaceAll('/opt/limen', resolve('.'));
		expect(verify(unit)).to.deep.equal({ status: 0, said: '' });
		expect(verify(unit.replace('limen serve', 'nothing serve')).status).to.not.equal(0);
	});
});

interface Made {
	readonly certificate: string;
	readonly key: string;
}
async function issueFor(name: string, days: number): Promise<Made> {
	const now = Date.now();
	const { key, chain } = await issue({
		subject: 'CN=of the tests',
		from: new Date(now - 10 * 86_400_000),
		until: new Date(now + days * 86_400_000),
		isAuthority: false,
		serves: [name]
	});
	return { key, certificate: chain[0]! };
}
