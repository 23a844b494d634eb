import { existsSync, readFileSync } from 'node:fs';
import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { RUN_STEPS, STEP_MOVES } from '../../../src/core/onboarding';
import { DIALECTS } from '../../../src/core/config';
import { VERDICTS } from '../../../src/core/intake';
import {
	BOOTSTRAP,
	CLEAN_UP,
	database,
	drawSchema,
	grouped,
	runAs,
	SETUP,
	timeNow
} from '../../../src/lib/server/database';
import { subscribe, notify, type Change } from '../../../src/lib/server/live';
import { insertRun } from '../../../src/lib/server/runs';
import { readSettings } from '../../../src/lib/server/settings';
import { asOwner, boundUnit, newUnit, openPosition, refusalOf, customerId, unwalled } from '../making';

describe('what the database itself holds', () => {
	it('is drawn in docs/schema.md as it is: `./limen schema` draws it anew', async () => {
		const drawn = await drawSchema(unwalled());
		expect(drawn).to.equal(readFileSync('docs/schema.md', 'utf8'));
		for (const [, room] of drawn.matchAll(/^## (.+)$/gm))
			expect(existsSync(`src/lib/server/${room}`), room).to.equal(true);
	});

	it('says what time it is, whatever the machine’s own clock says', async () => {
		const own = Date.now;
		const asked = async () =>
			Number((await unwalled().raw('select extract(epoch from clock_timestamp()) * 1000 as at')).rows[0].at);
		Date.now = () => own() - 3_600_000;
		try {
			await database()('run').first('id');
			const [before, said, after] = [await asked(), timeNow(), await asked()];
			expect(said).to.be.within(before - 1_000, after + 1_000);
			const { runId } = await boundUnit();
			const run = await unwalled()('run').where({ id: runId }).first('since', 'begun_at');
			expect(Math.abs(run.since.getTime() - run.begun_at.getTime())).to.be.lessThan(10_000);
		} finally {
			Date.now = own;
		}
	});

	it('knows the moves of a run just as core does', async () => {
		const moves = await unwalled()('step_move').select('from_step', 'to_step');
		expect(moves.map(({ from_step, to_step }) => [from_step, to_step])).to.have.deep.members(
			STEP_MOVES.map(([from, to]) => [from, to])
		);
		expect((await unwalled()('run_step').orderBy('rank')).map(({ id }) => id)).to.deep.equal([...RUN_STEPS]);
	});

	it('knows the dialects and verdicts that core knows', async () => {
		const { rows } = await unwalled().raw(
			`select pg_get_constraintdef(oid) as text from pg_constraint where conname in ('model_dialect_check', 'batch_row_verdict_check')`
		);
		const text = rows.map((row: { text: string }) => row.text).join();
		// a claimed row is its unit, not a row of the batch
		expect(text).to.not.include(`'claimed'`);
		for (const word of [...DIALECTS, ...VERDICTS.filter((verdict) => verdict !== 'claimed')])
			expect(text).to.include(`'${word}'`);
	});

	it('refuses a move that core does not know, and any change of a run that has ended', async () => {
		const { runId } = await boundUnit();
		expect(await refusalOf(unwalled()('run').where({ id: runId }).update({ step: 'firmware' }))).to.match(
			/does not move from bound to firmware/
		);
		expect(
			await refusalOf(
				unwalled()('run')
					.where({ id: runId })
					.update({ step: 'online', outcome: 'through', ended_at: new Date() })
			)
		).to.match(/does not move/);
		await unwalled()('run').where({ id: runId }).update({ outcome: 'cancelled', ended_at: new Date() });
		expect(
			await refusalOf(unwalled()('run').where({ id: runId }).update({ outcome: 'open', ended_at: null }))
		).to.match(/has ended/);
	});

	it('refuses to change or empty the ledger, and a released revision', async () => {
		const attempts = [
			`update ledger_entry set words = 'nothing happened'`,
			'delete from ledger_entry',
			'truncate ledger_entry'
		];
		for (const attempt of attempts) {
			// The application may not even try; the owner is refused by the table itself
			expect(await refusalOf(database().raw(attempt))).to.match(/permission denied/);
			expect(await refusalOf(asOwner(attempt))).to.match(/append-only/);
		}
		expect(await refusalOf(database()('profile_revision').update({ texts: '{}' }))).to.match(
			/never changes again/
		);
	});

	it('refuses one unit at two positions, another customer’s, and a role that does not suit', async () => {
		const customer_id = await customerId();
		const attempt = (unit_id: string, position_id: string, given: object) =>
			refusalOf(
				database().transaction(async (trx) => {
					const place = { unit_id, position_id, customer_id };
					const run_id = await insertRun(trx, place);
					await trx('binding').insert({
						...place,
						run_id,
						model_id: 'og-2',
						role_id: 'gateway',
						...given
					});
				})
			);
		const bound = await boundUnit();
		const free = (await newUnit()).unitId;
		expect(await attempt(bound.unitId, await openPosition(), {})).to.match(/one_open_run_per_unit/);
		expect(await attempt(free, bound.positionId, {})).to.match(/binding_pkey/);
		const point = await openPosition('access-point');
		expect(await attempt(free, point, {})).to.match(/binding_position_id_.*fkey/);
		const posing = { role_id: 'access-point' };
		expect(await attempt(free, point, posing)).to.match(/binding_model_id_.*fkey/);
		expect(await attempt(free, point, { ...posing, model_id: 'lf-6' })).to.match(
			/binding_customer_id_.*fkey/
		);
		const elsewhere = await openPosition('gateway', 'Southfold Physio');
		expect(await attempt(free, elsewhere, {})).to.match(/binding_position_id_.*fkey/);
		expect(await attempt(free, elsewhere, { customer_id: await customerId('Southfold Physio') })).to.match(
			/binding_customer_id_.*fkey/
		);
		expect(await attempt(free, await openPosition(), {})).to.equal(null);
	});

	it('keeps one serial number per maker and one MAC address per unit', async () => {
		const unit = await newUnit();
		const row = await unwalled()('unit').where({ id: unit.unitId }).first();
		const again = (change: object) =>
			refusalOf(unwalled()('unit').insert({ ...row, id: '00000000-0000-7000-8000-000000000001', ...change }));
		expect(await again({ mac: null })).to.match(/unit_serial_maker_id_key/);
		expect(await again({ serial: 'OG2K00000000' })).to.match(/unit_mac_key/);
		expect(await again({ serial: 'lower case', mac: null })).to.match(/unit_serial_check/);
		expect(await again({ serial: 'OG2K00000000', mac: null, maker_id: 'veltrane' })).to.match(/foreign key/);
	});
});

describe('group commit', () => {
	it('gives every call its own result, in few groups, and lets one bad item fail alone', async () => {
		let groups = 0;
		const twice = grouped<number, number>(
			SETUP,
			async (items) => {
				groups++;
				await new Promise((resolve) => setImmediate(resolve));
				if (items.includes(13)) throw new Error('unlucky');
				return items.map((item) => item * 2);
			},
			10
		);
		const settled = await Promise.allSettled(Array.from({ length: 30 }, (_, index) => twice(index)));
		expect(settled.map((one) => (one.status === 'fulfilled' ? one.value : 'failed'))).to.deep.equal(
			Array.from({ length: 30 }, (_, index) => (index === 13 ? 'failed' : index * 2))
		);
		expect(groups).to.equal(3 + 10);
		expect(await twice(4)).to.equal(8);
	});
});

describe('live changes', () => {
	const everything = () => true;
	const next = (topic: Change['topic']) =>
		new Promise<Change>((resolve) => {
			const stop = subscribe((change) => {
				if (change.topic !== topic) return;
				stop();
				resolve(change);
			}, everything);
		});

	it('are told on commit, not before, and not when rolled back', async () => {
		const told = next('plan');
		await database()
			.transaction(async (trx) =>
				notify(trx, 'plan', null, ['rolled back']).then(() => Promise.reject(new Error('no')))
			)
			.catch(() => undefined);
		await database().transaction(async (trx) => notify(trx, 'plan', null, ['committed']));
		expect((await told).ids).to.deep.equal(['committed']);
	});

	it('name many things in several notifications', async () => {
		const ids = Array.from({ length: 400 }, (_, index) => `${index}`.padStart(36, '0'));
		const heard: string[] = [];
		const all = new Promise<void>((resolve) => {
			const stop = subscribe(({ topic, ids: some }) => {
				if (topic !== 'images') return;
				heard.push(...some);
				if (heard.length >= ids.length) {
					stop();
					resolve();
				}
			}, everything);
		});
		await database().transaction((trx) => notify(trx, 'images', null, ids));
		await all;
		expect(heard).to.deep.equal(ids);
	});
});

describe('settings', () => {
	it('have defaults and are all checked at once', () => {
		expect(readSettings({}).LIMEN_HOST).to.equal('127.0.0.1');
		expect(() =>
			readSettings({ LIMEN_PORT: 'high', LIMEN_DATABASE_URL: 'mysql://x', LIMEN_DATABASE_POOL: '0' })
		).to.throw(/LIMEN_PORT.*LIMEN_DATABASE_URL.*LIMEN_DATABASE_POOL/);
	});
	it('are used by the tests for a database of their own', async () => {
		const { rows } = await unwalled().raw('select current_database() as name');
		expect(rows[0].name).to.match(/^server_(\d_)?tests/);
		expect(await customerId()).to.be.a('string');
	});
});

describe('a connection of the pool', () => {
	it('whose commit was refused is given to others as one that is in no transaction', async () => {
		/** Resolves when both have come to it. */
		const meeting = () => {
			let open = () => {};
			const opened = new Promise<void>((resolve) => (open = resolve));
			let came = 0;
			return () => (++came === 2 && open(), opened);
		};
		const [read, written] = [meeting(), meeting()];
		const ended = await Promise.allSettled(
			['one', 'other'].map((name) =>
				runAs(BOOTSTRAP, () =>
					database().transaction(
						async (trx) => {
							await trx.raw('select count(*) from process');
							await read();
							await trx('process').insert({ id: uuid(), name: `serialized ${name}` });
							await written();
						},
						{ isolationLevel: 'serializable' }
					)
				)
			)
		);
		const refused = ended.flatMap((one) => (one.status === 'rejected' ? [one.reason.message] : []));
		expect(refused).to.have.length(1);
		expect(refused[0]).to.match(/could not serialize/);
		const answers = await Promise.all(
			Array.from({ length: 12 }, () => runAs(CLEAN_UP, () => database().raw('select 1 as one')))
		);
		for (const { rows } of answers) expect(rows).to.deep.equal([{ one: 1 }]);
		await asOwner(`delete from process where name like 'serialized %'`);
	});
});
