import { mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { checkCharacter } from '../../src/core/intake';
import { INPUT, YANG_JSON } from '../../src/core/bootstrap';
import { PostBox } from '../../standins/mail/post-box';
import { freePort } from '../../command/ports';
import { Installation } from './installation';
import { basic, OPERATIONS, overTls } from '../server/making';

/** Another process's work: there is nothing to wait on. */
async function sleepUntil(holds: () => Promise<boolean>): Promise<void> {
	while (!(await holds().catch(() => false))) await sleep(50);
}

/**
 * What an installation bears: its processes killed with -9 in the middle of the work, its keys lost, its
 * ledger tampered with; and that it comes back from its backup. Everything is done through its own gates.
 */
describe('an installation of its own', () => {
	let here: Installation;
	let cookie: string;
	let token: string;
	let customerId: string;

	const postBox = new PostBox();

	before(async () => {
		const mailPort = await freePort();
		here = await Installation.create({ LIMEN_SMTP_URL: `smtp://127.0.0.1:${mailPort}` });
		await here.start();
		cookie = await here.firstAdministrator();
		customerId = here.run('tests/installation/plant.ts').stdout.trim();
		const page = await here.form(
			'/people?/token',
			{
				name: 'faults',
				days: '1',
				'act:see': 'on',
				'act:claim': 'on',
				'act:bind': 'on',
				[`customer:${customerId}`]: 'on'
			},
			cookie
		);
		token = /limen_[\w-]{43}/.exec(await page.text())![0];
	});
	after(async () => {
		postBox.close();
		await here.remove();
	});

	it('keeps a letter that the mail server does not take, tells when it gives up, and sends it when it does', async () => {
		const invite = (name: string) =>
			here.form('/people?/invite', { name, email: `${name}@tests.example` }, cookie);
		const letter = async (name: string) =>
			(
				await here.query<{ attempts: number; problem: string | null; sent: boolean; text: string }>(
					`select attempts, problem, sent_at is not null as sent, text from mail where to_address = $1`,
					[`${name}@tests.example`]
				)
			)[0]!;
		const until = async (test: () => Promise<boolean>) => {
			// Another process's work: there is nothing to wait on
			while (!(await test())) await sleep(50);
		};
		await invite('wren');
		await until(async () => (await letter('wren')).attempts === 1);
		const kept = await letter('wren');
		expect(kept.problem).to.include('ECONNREFUSED');
		expect(kept.sent).to.equal(false);
		expect(kept.text).to.match(/http:\S+\/ticket\//);
		/** Its job is moved once no try of it is under way. */
		const tryNow = (attempts: number) =>
			until(async () => {
				const moved = await here.query(
					`select id from limen_jobs.reschedule_jobs(array(select id from limen_jobs.jobs where task_identifier = 'send a letter'), run_at := now(), attempts := ${attempts})`
				);
				return moved.length > 0;
			});
		await tryNow(11);
		const page = () => fetch(here.url('/running'), { headers: { cookie } }).then((answer) => answer.text());
		await until(async () => (await page()).includes('Letters that nobody got'));
		expect(await page())
			.to.include('wren@tests.example')
			.and.to.include('ECONNREFUSED');
		const [lost] = await here.query<{ id: string }>('select id from mail where given_up_at is not null');
		await here.form('/running?/letter', { letter: lost!.id }, cookie);
		await until(async () => (await letter('wren')).attempts === 3);
		await postBox.listen(Number(new URL(here.settings.LIMEN_SMTP_URL!).port), '127.0.0.1');
		await tryNow(1);
		await invite('lark');
		await until(async () => (await letter('wren')).sent && (await letter('lark')).sent);
		expect(postBox.letters.map(({ to }) => to).sort()).to.deep.equal([
			'lark@tests.example',
			'wren@tests.example'
		]);
		expect(postBox.letters.find(({ to }) => to === 'wren@tests.example')!.text).to.equal(kept.text);
		expect((await letter('wren')).text).to.equal('');
	});

	const api = (method: string, path: string, body?: object, headers: Record<string, string> = {}) =>
		fetch(here.url(`/api/v1${path}`), {
			method,
			headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json', ...headers },
			body: body ? JSON.stringify(body) : null
		});

	const label = (number: number) => {
		const body = `OG2K${String(number).padStart(7, '0')}`;
		return {
			serial: body + checkCharacter(body, 'iso7064-mod-37-36'),
			claimCode: `KILL${String(number).padStart(7, '0')}`
		};
	};
	const listOf = (from: number, count: number) =>
		Array.from({ length: count }, (_, index) => label(from + index))
			.map(({ serial, claimCode }) => `${serial},,${claimCode}`)
			.join('\n');

	const count = async (sql: string) =>
		(await here.query<{ count: number }>(`select count(*)::int as count from ${sql}`))[0]!.count;

	/** Resolves at the moment when the database is inserting units. */
	async function whileInserting(): Promise<void> {
		for (;;) {
			const [row] = await here.query<{ busy: boolean }>(
				`select exists (select from pg_stat_activity where state = 'active' and query like '%insert into unit (%' and pid <> pg_backend_pid()) as busy`
			);
			if (row!.busy) return;
			// Another process's moment: there is nothing to wait on
			await sleep(1);
		}
	}

	const deaths: [what: string, kill: () => Promise<void>][] = [
		['the application', async () => here.killApplication().then(() => here.start())],
		[
			'PostgreSQL',
			async () => {
				await here.killPostgres();
				await here.startPostgres();
			}
		]
	];
	deaths.forEach(([what, kill], index) => {
		it(`loses and repeats nothing when ${what} is killed in the middle of an intake of 5,000 rows`, async () => {
			const from = 1_000_000 * (index + 1);
			const body = { customerId, text: listOf(from, 5_000) };
			const send = () => api('POST', '/batches', body, { 'idempotency-key': `intake-${index}` });
			const before = {
				units: await count('unit'),
				batches: await count('batch'),
				acts: await count(`ledger_entry where act = 'claim'`)
			};
			const cut = send().then(
				(answer) => answer.status,
				() => null
			);
			await whileInserting();
			await kill();
			const status = await cut;
			const kept = (await count('unit')) - before.units;
			// All or nothing; and all, if it was acknowledged
			expect(kept).to.be.oneOf(status === 201 ? [5_000] : [0, 5_000]);
			let again = await send();
			while (again.status >= 500) again = await send();
			expect(again.status).to.equal(201);
			const { counts } = (await again.json()) as { counts: Record<string, number> };
			expect(counts.claimed! + counts['already-ours']!).to.equal(5_000);
			expect((await count('unit')) - before.units).to.equal(5_000);
			const claims = (await count(`ledger_entry where act = 'claim'`)) - before.acts;
			expect(claims).to.equal((await count('batch')) - before.batches);
			expect(claims).to.equal(kept === 0 || status === 201 ? 1 : 2);
		});
	});

	it('loses and repeats no acknowledged report of 200 runs when both are killed in the middle', async () => {
		const RUNS = 200;
		const taken = (await (
			await api('POST', '/batches', { customerId, text: listOf(5_000_000, RUNS) })
		).json()) as {
			rows: { unitId: string; serial: string }[];
		};
		await here.query(
			`insert into site (id, customer_id, name, time_zone, uplink)
			select gen_random_uuid(), $1, 'Kill site ' || n, 'Pacific/Auckland', 'fibre' from generate_series(1, $2::int) n`,
			[customerId, RUNS]
		);
		const positions = await here.query<{ id: string }>(
			`insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), site.id, customer_id, 'gw-1', 'gateway', profile.id,
				'{"hostname":"kill","networks":"10.0.0.0/22"}'
			from site, profile where site.name like 'Kill site %' and profile.name = 'Clinic gateway' returning id`
		);
		await Promise.all(
			taken.rows.map(async ({ unitId }, index) => {
				const bound = await api('POST', '/bindings', { positionId: positions[index]!.id, unitId });
				expect(bound.status, await bound.clone().text()).to.equal(201);
			})
		);
		const TYPES = [
			'bootstrap-initiated',
			'parsing-initiated',
			'parsing-complete',
			'config-initiated',
			'config-complete'
		];
		const acknowledged: string[] = [];
		const repeated = new Set<string>();
		let attempts = 0;
		const say = async (number: number, type: string): Promise<void> => {
			const { serial, claimCode } = label(number);
			for (;;) {
				attempts++;
				const answer = await overTls(
					`${OPERATIONS}report-progress`,
					{
						method: 'POST',
						headers: { authorization: basic(serial, claimCode), 'content-type': YANG_JSON },
						body: JSON.stringify({ [INPUT]: { 'progress-type': type, message: 'still here' } })
					},
					here.settings
				).then(
					({ status }) => status,
					() => null
				);
				if (answer === 204) return void acknowledged.push(`${serial} ${type}`);
				// A unit that hears nothing says it again; what it said before may have been kept
				repeated.add(`${serial} ${type}`);
				await sleep(50);
			}
		};
		const everything = Promise.all(
			Array.from({ length: RUNS }, async (_, index) => {
				for (const type of TYPES) await say(5_000_000 + index, type);
			})
		);
		const reached = async (part: number) => {
			while (acknowledged.length < RUNS * TYPES.length * part) await sleep(2);
		};
		await reached(0.2);
		await here.killApplication();
		await here.start();
		await reached(0.5);
		// The start command sees to it that the database comes back
		await here.killPostgres();
		await everything;
		const kept = await here.query<{ said: string; times: number }>(
			`select unit.serial || ' ' || progress_type as said, count(*)::int as times
			from run_event join run on run.id = run_id join unit on unit.id = run.unit_id where kind = 'report' group by 1`
		);
		const times = new Map(kept.map((one) => [one.said, one.times]));
		expect(acknowledged).to.have.lengthOf(RUNS * TYPES.length);
		expect(attempts).to.be.greaterThan(acknowledged.length);
		for (const said of acknowledged) {
			expect(times.get(said), said).to.be.at.least(1);
			if (!repeated.has(said)) expect(times.get(said), said).to.equal(1);
		}
		const [runs] = await here.query<{ configuration: number }>(
			`select count(*)::int as configuration from run join unit on unit.id = unit_id where serial like 'OG2K5%' and step = 'configuration' and outcome = 'open'`
		);
		expect(runs!.configuration).to.equal(RUNS);
	});

	it('starts again by itself what ends, and says so', async () => {
		here.said = '';
		await here.killApplicationAlone();
		await here.untilSaid(
			/The application was ended by SIGKILL\. It is started again in [\d.]+ s\.[\s\S]*The application runs again\./
		);
		expect((await fetch(here.url('/readyz'))).status).to.equal(200);
		here.said = '';
		await here.killPostgres();
		const away = await fetch(here.url('/account'), {
			headers: { cookie, accept: 'text/html' },
			redirect: 'manual'
		});
		expect(away.status).to.be.oneOf([503, 200]);
		if (away.status === 503) expect(Number(away.headers.get('retry-after'))).to.be.greaterThan(0);
		await here.untilSaid(/The database ended\.[\s\S]*The database runs again\./);
		await sleepUntil(async () => (await fetch(here.url('/readyz'))).status === 200);
	});

	it('gives up what ends again and again, and ends non-zero', async () => {
		here.said = '';
		await here.killApplicationAlone();
		const squatter = createServer().listen(here.settings.LIMEN_BOOTSTRAP_PORT, '127.0.0.1');
		await once(squatter, 'listening');
		try {
			expect(await here.untilEnded()).to.equal(1);
			expect(here.said).to.match(/again and again\. Everything is stopped/);
		} finally {
			await new Promise((resolve) => squatter.close(resolve));
		}
		await here.start();
	});

	it('keeps sessions, tokens and the chain of its ledger through all of it', async () => {
		const account = await fetch(here.url('/account'), {
			headers: { cookie, accept: 'text/html' },
			redirect: 'manual'
		});
		expect(account.status).to.equal(200);
		const proof = here.limen('verify-ledger');
		expect(proof.stdout).to.match(/^The ledger is unbroken: \d+ entries/);
		expect(proof.status).to.equal(0);
	});

	it('names the first entry of its ledger that was changed, removed or cut off, even by the owner', async () => {
		const tamper = async (sql: string, words: RegExp) => {
			await here.query(
				'create table kept_ledger as select * from ledger_entry; create table kept_head as select * from ledger_head'
			);
			await here.query(`alter table ledger_entry disable trigger user; ${sql}`);
			const proof = here.limen('verify-ledger');
			expect(proof.stderr.trim()).to.match(words);
			expect(proof.status).to.equal(1);
			await here.query(
				'delete from ledger_entry; insert into ledger_entry select * from kept_ledger; alter table ledger_entry enable trigger user; drop table kept_ledger, kept_head'
			);
		};
		await tamper(
			`update ledger_entry set words = 'nothing' where id = 3`,
			/broken at entry 3: it is not as it was written/
		);
		await tamper('delete from ledger_entry where id = 4', /broken at entry 4: it is missing/);
		await tamper(
			'delete from ledger_entry where id = (select max(id) from ledger_entry)',
			/broken at entry \d+: the end was cut off/
		);
		expect(here.limen('verify-ledger').status).to.equal(0);
	});

	it('proves with a head that was kept outside that the ledger was not written anew as a whole', async () => {
		const head = /^It stands at: (limen-ledger .+)$/m.exec(here.limen('verify-ledger').stdout)![1]!;
		await fetch(here.url('/account'), { headers: { cookie } });
		expect(here.limen('verify-ledger', '--from', head).stdout).to.match(/The first \d+ are those of 20/);
		const letter = join(here.settings.LIMEN_STATE_DIR, 'letter.txt');
		writeFileSync(letter, `Dear colleague,\n\nkeep this:\n${head.replace(/ /g, '\n')}\n`);
		expect(here.limen('verify-ledger', '--from', letter).status).to.equal(0);
		for (const forged of [head.replace(/\d+/, '2'), head.slice(0, -1), 'limen-ledger', '', '.'])
			expect(here.limen('verify-ledger', '--from', forged).status, forged).to.equal(1);
		await here.query(
			'create table kept_ledger as select * from ledger_entry; create table kept_head as select * from ledger_head'
		);
		// The owner of the database can make a chain that holds in itself
		await here.query(
			`do $$ declare one record; last bytea; begin
				alter table ledger_entry disable trigger user;
				update ledger_entry set words = 'Nothing happened.' where id = 3;
				select hash into last from ledger_entry where id = 2;
				for one in select id from ledger_entry where id > 2 order by id loop
					update ledger_entry e set hash = ledger_hash(last, e) where id = one.id returning hash into last;
				end loop;
				update ledger_head set hash = last;
			end $$`
		);
		expect(here.limen('verify-ledger').status).to.equal(0);
		expect(here.limen('verify-ledger', '--from', head).stderr).to.match(/have been written anew/);
		await here.query(
			'delete from ledger_entry where id > 3; update ledger_head set id = 3, hash = (select hash from ledger_entry where id = 3)'
		);
		expect(here.limen('verify-ledger', '--from', head).stderr).to.match(/the end was cut off/);
		await here.query(
			`delete from ledger_entry; insert into ledger_entry select * from kept_ledger; alter table ledger_entry enable trigger user;
			update ledger_head h set id = k.id, hash = k.hash from kept_head k; drop table kept_ledger, kept_head`
		);
		expect(here.limen('verify-ledger', '--from', head).status).to.equal(0);
	});

	it('does not start without its keys, says so in one sentence, and damages nothing', async () => {
		await here.stop();
		const keys = join(here.settings.LIMEN_STATE_DIR, 'keys');
		for (const name of ['claim.key', 'secret.keys']) {
			renameSync(join(keys, name), join(keys, 'away'));
			for (const content of [null, 'ab'.repeat(32)]) {
				if (content) writeFileSync(join(keys, name), content);
				const started = here.limen('serve');
				expect(started.status).to.equal(1);
				expect(started.stderr.trim().split('\n')).to.have.lengthOf(1);
				expect(started.stderr).to.include(`keys/${name}`).and.include('restore it from the backup');
				rmSync(join(keys, name), { force: true });
			}
			renameSync(join(keys, 'away'), join(keys, name));
		}
		await here.start();
		expect((await fetch(here.url('/readyz'))).status).to.equal(200);
	});

	it('seals its secrets with a new key, and the old renderings with it', async () => {
		await here.stop();
		const sealed = async () =>
			(
				await here.query<{ key: string }>(
					`select distinct split_part(values->>'staff_secret', ':', 2) as key from customer where values->>'staff_secret' is not null`
				)
			).map(({ key }) => key);
		await here.startPostgres();
		const [before] = await sealed();
		expect(before).to.match(/^[0-9a-f]{12}$/);
		expect(here.limen('rotate-key').stdout).to.match(/A new key is in use; \d+ secrets/);
		await here.startPostgres();
		const after = await sealed();
		expect(after).to.have.lengthOf(1);
		expect(after[0]).to.not.equal(before);
		await here.start();
	});

	it('comes back whole from its backup, by the commands in the README', async () => {
		const folder = join(mkdtempSync(join(tmpdir(), 'limen-backup-')), 'backup');
		const written = here.limen('backup', folder);
		expect(written.stdout, written.stderr).to.include('database.dump, keys and images');
		expect(here.limen('backup', folder).stderr).to.include('is not empty');
		expect(here.limen('restore', folder).stderr).to.include('stop it first');
		for (const path of ['', ...readdirSync(folder, { recursive: true })])
			expect(statSync(join(folder, String(path))).mode & 0o077, `${path} is its owner's alone`).to.equal(0);
		const head = join(folder, 'ledger-head.txt');
		const other = await Installation.create();
		try {
			const restored = other.limen('restore', folder);
			expect(restored.stdout, restored.stderr).to.include('Restored.');
			expect(other.limen('restore', folder).stderr).to.include('There is an installation here already');
			await other.start();
			// There is an administrator: no link is offered
			expect(other.said).to.not.include('/ticket/');
			const census = (one: Installation) =>
				one.query(
					`select (select count(*) from unit) as units, (select count(*) from run_event) as events, (select count(*) from person) as people,
						(select hash from ledger_head) as head`
				);
			expect(await census(other)).to.deep.equal(await census(here));
			expect(other.limen('verify-ledger', '--from', head).status).to.equal(0);
			const again = await fetch(other.url('/account'), {
				headers: { cookie, accept: 'text/html' },
				redirect: 'manual'
			});
			expect(again.headers.get('location'), 'who was signed in then is not now').to.include('/sign-in');
			// Units that trust the server by its certificate go on trusting it
			const certificate = ({ settings }: Installation) =>
				readFileSync(join(settings.LIMEN_STATE_DIR, 'keys', 'bootstrap.crt'), 'utf8');
			expect(certificate(other)).to.equal(certificate(here));
			const answer = await fetch(other.url('/api/v1/runs'), {
				headers: { authorization: `Bearer ${token}` }
			});
			expect(answer.status).to.equal(200);
		} finally {
			await other.remove();
			rmSync(join(folder, '..'), { recursive: true, force: true });
		}
	});

	it('wrote no secret into its log, through all of that', async () => {
		const wrong = 'a wrong but secret guess';
		await here.form('/sign-in?/password', { email: 'perrin.holt@tests.example', password: wrong });
		await fetch(here.url(`/find?q=${label(1_000_001).claimCode}`), { headers: { cookie } });
		await api('POST', '/batches', { customerId, text: 7, secret: wrong });
		await here.stop();
		const lines = here.log.split('\n').filter((line) => line.startsWith('{'));
		const log = lines.join('\n');
		// It did log all that: the requests, the deaths, and what they broke
		for (const seen of ['"route":"/sign-in"', '"route":"/find"', '"route":"/api/v1/batches"', '"level":50'])
			expect(log).to.include(seen);
		const keys = join(here.settings.LIMEN_STATE_DIR, 'keys');
		const secrets = [
			'a field of sallow trees',
			wrong,
			token,
			cookie.split('=')[1]!,
			readFileSync(join(keys, 'database.password'), 'utf8').trim(),
			'KILL',
			'hayloft-lantern-otter',
			...postBox.letters.map(({ text }) => /\/ticket\/(\S+)/.exec(text)![1]!)
		];
		for (const secret of secrets) expect(log.includes(secret), secret).to.equal(false);
		await here.start();
	});
});
