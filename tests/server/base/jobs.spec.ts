import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { BOOTSTRAP, CLEAN_UP, database, enqueue, runAs } from '../../../src/lib/server/database';
import { CLEAN_UPS, cleanUp } from '../../../src/lib/server/jobs';
import { anAdministrator, asOwner, get, newPerson, newUnit, refusalOf } from '../making';

const jobs = async (key: string) =>
	(await asOwner(`select attempts, locked_by from limen_jobs.jobs where key = $1`, [key])).rows;
/** Another process works it: there is nothing to wait on but its outcome. */
async function until(holds: () => Promise<boolean>): Promise<void> {
	while (!(await holds())) await new Promise((resolve) => setTimeout(resolve, 50));
}
const LATER = new Date(Date.now() + 3_600_000);

describe('jobs', () => {
	it('wait when their act commits, and only then; one that waits already is moved', async () => {
		const key = `test ${uuid()}`;
		await database()
			.transaction(async (trx) => {
				await enqueue(trx, 'clean up', {}, { key, due: LATER });
				throw new Error('taken back');
			})
			.catch(() => undefined);
		expect(await jobs(key)).to.have.lengthOf(0);
		await database().transaction((trx) => enqueue(trx, 'clean up', {}, { key, due: LATER }));
		await database().transaction((trx) => enqueue(trx, 'clean up', {}, { key, due: LATER }));
		expect(await jobs(key)).to.have.lengthOf(1);
		await database().transaction((trx) => enqueue(trx, 'clean up', {}, { key }));
		await until(async () => (await jobs(key)).length === 0);
	});

	it('can be added by those who work, and neither read, changed nor made to carry more than ids', async () => {
		for (const who of [BOOTSTRAP, CLEAN_UP]) {
			const refused = (sql: string) => runAs(who, () => refusalOf(database().raw(sql)));
			expect(await refused('select * from limen_jobs.jobs')).to.match(/permission denied/);
			expect(await refused('delete from limen_jobs._private_jobs')).to.match(/permission denied/);
		}
		const long = await refusalOf(
			enqueue(database(), 'clean up', { words: 'x'.repeat(3_000) }, { key: 'too long' })
		);
		expect(long).to.match(/this is no job/);
	});

	it('go on after the queue has lost its connections, at whatever it was doing', async () => {
		const keys = Array.from({ length: 40 }, () => `test ${uuid()}`);
		for (const key of keys) {
			await enqueue(database(), 'clean up', {}, { key });
			await asOwner(
				`select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and application_name = 'limen jobs'`
			);
		}
		await until(
			async () =>
				(await asOwner('select from limen_jobs.jobs where key = any ($1::text[])', [keys])).rowCount === 0
		);
	});

	it('of a process that has ended are taken up at once, by another', async () => {
		const [key, pool, process] = [`test ${uuid()}`, `pool-${uuid()}`, uuid()];
		await enqueue(database(), 'clean up', {}, { key, due: LATER });
		await asOwner(
			`update limen_jobs._private_jobs set locked_by = $1, locked_at = now(), run_at = now() where key = $2`,
			[pool, key]
		);
		await asOwner(
			`insert into process (id, name, heartbeat_at, workers) values ($1, 'a process that died', now() - interval '1 minute', $2)`,
			[process, [pool]]
		);
		await until(async () => (await jobs(key)).length === 0);
		const { rows } = await asOwner(`select ended_at, workers_released from process where id = $1`, [process]);
		expect(rows[0].workers_released).to.equal(true);
		expect(rows[0].ended_at).to.be.instanceOf(Date);
	});

	it('that another was put in the place of while they were under way are not told as given up, however they end', async () => {
		const deaths: Record<string, (pool: string) => Promise<unknown>> = {
			'their process dies': (pool) =>
				asOwner(
					`insert into process (id, name, heartbeat_at, workers) values ($1, 'a process that died', now() - interval '1 minute', $2)`,
					[uuid(), [pool]]
				),
			'they fail': (pool) =>
				asOwner(
					`update limen_jobs._private_jobs set locked_by = null, locked_at = null, last_error = 'it broke' where locked_by = $1`,
					[pool]
				)
		};
		for (const [how, death] of Object.entries(deaths)) {
			const [key, pool] = [`test ${uuid()}`, `pool-${uuid()}`];
			await enqueue(database(), 'clean up', {}, { key, due: LATER });
			const { rows: begun } = await asOwner(
				`update limen_jobs._private_jobs set locked_by = '${pool}', locked_at = now(), attempts = 1 where key = '${key}' returning id`
			);
			await enqueue(database(), 'clean up', {}, { key, due: LATER });
			const left = async () =>
				(
					await asOwner(`select attempts, max_attempts as of from limen_jobs.jobs where id = $1`, [
						begun[0].id
					])
				).rows[0];
			expect(await left(), how).to.deep.equal({ attempts: 12, of: 12 });
			await death(pool);
			await until(async () => (await left()) === undefined);
			expect(await jobs(key), how).to.deep.equal([{ attempts: 0, locked_by: null }]);
			await asOwner(`delete from limen_jobs._private_jobs where key = $1`, [key]);
		}
	});

	it('that fail stand on the administrator’s page with their error, and on nobody else’s', async () => {
		const key = `test ${uuid()}`;
		await enqueue(database(), 'something that nobody knows', {}, { key });
		await asOwner(
			`update limen_jobs._private_jobs set attempts = 12, last_error = 'it broke <here>' where key = $1`,
			[key]
		);
		const page = await get('/running', await anAdministrator()).then((answer) => answer.text());
		expect(page).to.include('something that nobody knows').and.to.include('it broke &lt;here');
		expect(page.replace(/<[^>]*>/g, '')).to.match(/[\d.,]+ GB of\s+[\d.,]+ GB are free/);
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect((await get('/running', engineer)).status).to.equal(403);
		await asOwner(`delete from limen_jobs._private_jobs where key = $1`, [key]);
	});
});

describe('what is removed by itself', () => {
	it('is what has been good for nothing long enough, and nothing else', async () => {
		const { rows: people } = await asOwner(
			`insert into person (id, name, email) values (gen_random_uuid(), 'Gone', $1) returning id`,
			[`${uuid()}@tests.example`]
		);
		const session = async (days: number) =>
			(
				await asOwner(
					`insert into session (id, person_id, token_hash, device, address, created_at, ends_at) values (gen_random_uuid(), $1, sha256($2::bytea), 'test', '127.0.0.1', now() - make_interval(days => $3 + 1), now() - make_interval(days => $3)) returning id`,
					[people[0].id, uuid(), days]
				)
			).rows[0].id as string;
		const [old, recent] = [await session(31), await session(29)];
		const removed = await cleanUp();
		expect(Object.keys(removed).sort()).to.deep.equal(CLEAN_UPS.map(({ table }) => table).sort());
		const { rows } = await asOwner(`select id from session where id = any ($1::uuid[])`, [[old, recent]]);
		expect(rows).to.deep.equal([{ id: recent }]);
	});

	it('is what a unit said before its latest 5,000, and none of what one said that says little', async () => {
		const [loud, quiet] = [await newUnit(), await newUnit()];
		const says = (unitId: string, count: number) =>
			asOwner(
				`insert into event (id, unit_id, customer_id, severity, facility, app, kind, words, form)
				select lpad(n::text, 32, '0')::uuid, id, customer_id, 6, 1, 'test', '', 'said ' || n, 'plain' from unit, generate_series($2::int, $3::int) n where id = $1`,
				[unitId, quiet.unitId === unitId ? 1_000_001 : 1, (quiet.unitId === unitId ? 1_000_000 : 0) + count]
			);
		await says(loud.unitId, 5_003);
		await says(quiet.unitId, 3);
		await cleanUp();
		const { rows } = await asOwner(
			`select unit_id as unit, count(*)::int as count, (array_agg(words order by id))[1] as first from event where unit_id = any ($1::uuid[]) group by 1`,
			[[loud.unitId, quiet.unitId]]
		);
		expect(rows).to.have.deep.members([
			{ unit: loud.unitId, count: 5_000, first: 'said 4' },
			{ unit: quiet.unitId, count: 3, first: 'said 1000001' }
		]);
		await asOwner(`delete from event where unit_id = any ($1::uuid[])`, [[loud.unitId, quiet.unitId]]);
	});
});
