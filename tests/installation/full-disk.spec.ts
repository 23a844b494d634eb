import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { expect } from 'chai';
import { Installation } from './installation';
import { listOfLabels, planted, program, tokenFor } from './planted';
import { SmallDisk } from './small-disk';

const MEGABYTES = 640;
const ROWS = 2_000;
const FULL = /The disk is full: nothing can be kept\. Nothing was changed/;

describe('an installation whose disk fills up', () => {
	let disk: SmallDisk | null;
	let here: Installation;
	let cookie: string;
	let customerId: string;
	let api: ReturnType<typeof program>;

	before(async function () {
		disk = SmallDisk.mount(MEGABYTES);
		if (!disk) return this.skip();
		here = await Installation.create({}, disk.folder);
		await here.start();
		({ cookie, customerId } = await planted(here));
		api = program(here, await tokenFor(here, cookie, customerId, ['see', 'claim']));
	});
	afterEach(() => disk?.makeRoom());
	after(async () => {
		await here?.remove();
		disk?.remove();
	});

	const count = async (sql: string) =>
		(await here.query<{ count: number }>(`select count(*)::int as count from ${sql}`))[0]!.count;
	const takeIn = (from: number) =>
		api(
			'POST',
			'/batches',
			{ customerId, text: listOfLabels(from, ROWS) },
			{ 'idempotency-key': `intake-${from}` }
		);
	const page = (path: string) =>
		fetch(here.url(path), { headers: { cookie, accept: 'text/html' }, redirect: 'manual' });
	/** Another process's work: there is nothing to wait on. */
	const untilReady = async () => {
		while (!(await page('/readyz').catch(() => null))?.ok) await sleep(100);
	};
	const noneLostOrDoubled = async (from: number) => {
		const again = await takeIn(from);
		expect(again.status, await again.clone().text()).to.equal(201);
		const { rows } = (await again.json()) as { rows: { verdict: string }[] };
		expect(rows).to.have.lengthOf(ROWS);
		expect(await count('unit')).to.equal((await count('batch')) * ROWS);
		expect(here.limen('verify-ledger').stdout).to.match(/^The ledger is unbroken/);
	};

	it('says so to whoever wants something kept, keeps nothing by half, and goes on when there is room', async () => {
		disk!.fill();
		let refused = await takeIn(1_000_000);
		// The room within the database's own files is used up first
		for (let from = 2_000_000; refused.status === 201; from += 10_000) refused = await takeIn(from);
		expect(refused.status).to.equal(503);
		expect(refused.headers.get('content-type')).to.equal('application/problem+json');
		expect(await refused.text()).to.match(FULL);
		expect(Number(refused.headers.get('retry-after'))).to.be.greaterThan(0);
		expect((await page('/')).status).to.be.oneOf([200, 503]);

		const images = join(here.settings.LIMEN_STATE_DIR, 'images');
		const before = readdirSync(images);
		const image = await fetch(here.url('/upkeep/images/okapira-og/99.1'), {
			method: 'PUT',
			body: Buffer.alloc(2_000_000, 7),
			headers: { cookie, origin: here.url('') }
		});
		expect(image.status, await image.clone().text()).to.equal(503);
		expect(await image.text()).to.match(FULL);
		expect(readdirSync(images)).to.deep.equal(before);

		disk!.makeRoom();
		await untilReady();
		await noneLostOrDoubled(3_000_000);
	});

	it('waits for room where the database ends for want of it, and gives nothing up', async () => {
		here.said = '';
		disk!.fill();
		// Its log of changes needs a new segment where none can be made: PostgreSQL ends
		const ended = (async () => {
			for (;;) await here.query(`select pg_logical_emit_message(true, 'x', repeat('x', 4000000))`);
		})().catch((error: Error) => error);
		expect(await ended).to.be.instanceOf(Error);
		const refused = await takeIn(4_000_000);
		expect(refused.status).to.equal(503);
		await here.killPostgres();
		await here.untilSaid(/The disk is full\. The database is started again when there is room\./);
		expect((await fetch(here.url('/healthz'))).status).to.equal(200);
		expect((await page('/account')).status).to.equal(503);
		disk!.makeRoom();
		await here.untilSaid(/The database runs again\./);
		await untilReady();
		await noneLostOrDoubled(4_000_000);
		expect(here.said).to.not.include('Everything is stopped');
	});
});
