import { readFileSync } from 'node:fs';
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { INPUT, YANG_JSON } from '../../src/core/bootstrap';
import { PostBox } from '../../standins/mail/post-box';
import { freePort } from '../../command/running/ports';
import { Installation } from './installation';
import { labelOf, listOfLabels, planted, program, tokenFor } from './planted';
import { basic, OPERATIONS, overTls } from '../server/making';

/** Another process's work: there is nothing to wait on. */
async function sleepUntil(holds: () => Promise<boolean>): Promise<void> {
	while (!(await holds().catch(() => false))) await sleep(50);
}

/**
 * What an installation bears: its processes killed with -9 in the middle of the work, its mail server away. Everything is
 * done through its own gates.
 */
describe('an installation of its own', () => {
	let here: Installation;
	let cookie: string;
	let token: string;
	let customerId: string;
	let api: ReturnType<typeof program>;

	const postBox = new PostBox();

	before(async () => {
		const mailPort = await freePort();
		here = await Installation.create({ LIMEN_SMTP_URL: `smtp://127.0.0.1:${mailPort}` });
		await here.start();
		({ cookie, customerId } = await planted(here));
		token = await tokenFor(here, cookie, customerId, ['see', 'claim', 'bind']);
		api = program(here, token);
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
			const body = { customerId, text: listOfLabels(from, 5_000) };
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
			await api('POST', '/batches', { customerId, text: listOfLabels(5_000_000, RUNS) })
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
			const { serial, claimCode } = labelOf(number);
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

	it('waits for what was killed with it before and still holds a port', async () => {
		await here.killApplication();
		const dying = createSocket('udp4').bind(here.settings.LIMEN_EVENTS_PORT, '127.0.0.1');
		await once(dying, 'listening');
		const started = here.start();
		await here.untilSaid(
			new RegExp(`still on its way out; waiting for port ${here.settings.LIMEN_EVENTS_PORT}`)
		);
		await new Promise<void>((resolve) => dying.close(resolve));
		await started;
		expect((await fetch(here.url('/readyz'))).status).to.equal(200);
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

	it('wrote no secret into its log, through all of that', async () => {
		const wrong = 'a wrong but secret guess';
		await here.form('/sign-in?/password', { email: 'perrin.holt@tests.example', password: wrong });
		await fetch(here.url(`/find?q=${labelOf(1_000_001).claimCode}`), { headers: { cookie } });
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
