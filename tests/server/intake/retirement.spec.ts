import { expect } from 'chai';
import { raise } from '../../../src/lib/server/alerts';
import { unbindUnit } from '../../../src/lib/server/binding';
import { BOOTSTRAP, database, runAs } from '../../../src/lib/server/database';
import { keepFacts } from '../../../src/lib/server/health';
import { claimBatch } from '../../../src/lib/server/intake';
import { destroyWhatIsOver, lifeOf, retiredById } from '../../../src/lib/server/retirement';
import { onChange } from '../dialling';
import {
	ACTOR,
	answerOf,
	asOwner,
	boundUnit,
	customerId,
	customerLike,
	get,
	lineOf,
	newPerson,
	post,
	unwalled,
	type TestPerson
} from '../making';

const asLimen = <Result>(work: () => Promise<Result>) => runAs(BOOTSTRAP, work);

describe('retired units', () => {
	let customer: string;
	let id: string;
	let coordinator: TestPerson;
	let administrator: TestPerson;
	beforeEach(async () => {
		customer = await customerLike('Marlstone Veterinary');
		id = await customerId(customer);
		coordinator = await newPerson({ [customer]: 'coordinator' });
		administrator = await newPerson('administrator');
	});
	const as = <Result>(person: TestPerson, work: () => Promise<Result>) =>
		runAs({ kind: 'person', personId: person.id }, work);

	/** A unit with a past, taken from its place again. */
	async function withPast() {
		const unit = await boundUnit('gateway', customer);
		const { unitId } = unit;
		await asLimen(() =>
			database().transaction((trx) =>
				raise(trx, { unitId, customerId: id, kind: 'changed outside', words: 'Somebody was at it.' })
			)
		);
		const about = (answer: Record<string, string>) =>
			asLimen(() =>
				keepFacts({ unitId, customerId: id, answer: { serial: unit.serial, memory: '512 MB', ...answer } })
			);
		await about({ modules: 'none' });
		await about({ modules: 'LTE-2' });
		const unbound = await unbindUnit(unit.positionId, ACTOR);
		expect(unbound.ok).to.equal(true);
		return unit;
	}
	const retire = async (unitId: string, more: Record<string, string> = {}, who = coordinator) =>
		answerOf(
			await post(
				`/units/${unitId}?/retire`,
				{ reason: 'Too old for the new release', asked: 'on', ...more },
				{},
				who
			)
		);
	const counts = async (unitId: string) => {
		const { rows } = await asOwner(
			`select (select count(*) from alert where unit_id = $1)::int as alerts, (select count(*) from event where unit_id = $1)::int as events,
				(select count(*) from unit_fact where unit_id = $1)::int as facts, (select count(*) from retired_row where unit_id = $1)::int as kept,
				(select count(*) from run where unit_id = $1)::int as runs, (select count(*) from unit where id = $1)::int as units`,
			[unitId]
		);
		return rows[0] as Record<'alerts' | 'events' | 'facts' | 'kept' | 'runs' | 'units', number>;
	};

	it('a unit at a place is not retired, nor by whoever may not take in, nor without a reason', async () => {
		const bound = await boundUnit('gateway', customer);
		expect((await retire(bound.unitId)).data!.problem).to.match(/is at a place/);
		const unit = await withPast();
		const reader = await newPerson({ [customer]: 'reader' });
		expect((await retire(unit.unitId, {}, reader)).data!.problem).to.match(/may not retire/);
		// Past the page, the database asks too
		const refused = await as(reader, () =>
			database()
				.raw('select limen_retire(?, ?, ?)', [unit.unitId, 'me', 'because'])
				.then(
					() => null,
					(error: Error) => error.message
				)
		);
		expect(refused).to.match(/not theirs to retire|no such unit/);
		expect((await retire(unit.unitId, { reason: '' })).status).to.not.equal(200);
		expect((await counts(unit.unitId)).units).to.equal(1);
	});

	it('is gone from lists, counts, search and API, found when asked for, with its life; its label can be taken in anew', async () => {
		const unit = await withPast();
		const before = await as(administrator, () => lifeOf(unit.unitId, { records: true, isRetired: false }));
		expect(new Set(before.map(({ kind }) => kind))).to.include.keys(
			'person',
			'run',
			'place',
			'alert',
			'fact'
		);
		expect(
			before.filter(({ kind }) => kind === 'fact').map(({ title, words }) => `${title} ${words}`)
		).to.have.members([`serial ${unit.serial}`, 'memory 512 MB', 'modules none', 'modules LTE-2']);
		const answer = await retire(unit.unitId);
		expect(answer.type, JSON.stringify(answer)).to.equal('redirect');
		expect(answer.location).to.equal(`/units/retired/${unit.unitId}`);
		const kept = await counts(unit.unitId);
		expect(kept).to.include({ alerts: 0, events: 0, facts: 0, units: 1 });
		expect(kept.kept).to.be.greaterThan(5);

		expect((await get(`/units/${unit.unitId}`, administrator)).status).to.equal(404);
		for (const page of ['/units', `/units?q=${unit.serial}`, '/upkeep/events', '/upkeep/health', '/'])
			expect(await (await get(page, administrator)).text(), page).to.not.include(`/units/${unit.unitId}`);
		for (const table of ['unit', 'alert', 'event', 'errand', 'archive_version', 'unit_fact'])
			expect(
				await as(administrator, () =>
					database()(table).where(table === 'unit' ? { id: unit.unitId } : { unit_id: unit.unitId })
				),
				table
			).to.deep.equal([]);
		expect(await asLimen(() => database()('unit').where({ id: unit.unitId }))).to.deep.equal([]);

		const found = await (await get(`/find?q=${unit.serial}`, coordinator)).text();
		expect(found).to.include(`/units/retired/${unit.unitId}`);
		const page = await (await get(`/units/retired/${unit.unitId}`, coordinator)).text();
		expect(page)
			.to.include('Too old for the new release')
			.and.include('Somebody was at it.')
			.and.include('LTE-2');
		const after = await as(administrator, () => lifeOf(unit.unitId, { records: true, isRetired: true }));
		const seen = ({ id, kind, title }: { id: string; kind: string; title: string }) =>
			`${kind} ${id} ${title}`;
		expect(after.map(seen)).to.include.members(before.map(seen));
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		expect((await get(`/units/retired/${unit.unitId}`, stranger)).status).to.equal(404);
		expect(await (await get(`/units/retired?text=${unit.serial}`, stranger)).text()).to.not.include(
			unit.unitId
		);

		const claimed = await claimBatch(id, lineOf(unit), ACTOR);
		const again = claimed.ok && claimed.done.rows[0]!.unitId;
		expect(again).to.not.equal(unit.unitId);
		expect((await get(`/units/${again}`, coordinator)).status).to.equal(200);
	});

	it('is kept for its customer’s term and destroyed when it is over, with a record of what was', async () => {
		const term = await answerOf(
			await post('/units/retired?/term', { customer: id, years: '7' }, {}, administrator)
		);
		expect(term.status).to.equal(200);
		expect(
			(await post('/units/retired?/term', { customer: id, years: '1' }, {}, coordinator)).status
		).to.equal(403);
		const [unit, other] = [await withPast(), await withPast()];
		await retire(unit.unitId);
		await retire(other.unitId);
		const kept = await as(administrator, () => retiredById(unit.unitId));
		expect(Number(kept!.destroyOn.slice(0, 4))).to.equal(new Date().getUTCFullYear() + 7);
		// A proof of its site and a rollout have it among others
		await asLimen(() => destroyWhatIsOver());
		expect((await counts(unit.unitId)).units).to.equal(1);
		await asOwner(
			`create table if not exists retired_row_2020 partition of retired_row for values from ('2020-01-01') to ('2021-01-01')`
		);
		await asOwner(`update retired_row set destroy_on = '2020-05-05' where unit_id = $1`, [unit.unitId]);
		await asOwner(`update unit set destroy_on = '2020-05-05' where id = $1`, [unit.unitId]);
		// An answer that was under way when it was retired
		await asLimen(() => keepFacts({ unitId: unit.unitId, customerId: id, answer: { memory: '1024 MB' } }));
		await asLimen(() => destroyWhatIsOver());
		expect(await counts(unit.unitId)).to.deep.equal({
			alerts: 0,
			events: 0,
			facts: 0,
			kept: 0,
			runs: 0,
			units: 0
		});
		expect((await counts(other.unitId)).units).to.equal(1);
		expect((await get(`/units/retired/${unit.unitId}`, administrator)).status).to.equal(404);
		const page = await (await get('/units/retired', administrator)).text();
		expect(page).to.include(unit.serial).and.include(`/units/retired/${other.unitId}`);
		const record = await unwalled()('destruction').where({ unit_id: unit.unitId }).first();
		expect(record.what).to.include({ run: 1, unit_fact: 4, alert: 1 });
		const [entry] = await unwalled()('ledger_entry').where({
			subject_id: unit.unitId,
			act: 'destroy retired unit'
		});
		expect(entry.words).to.match(/is destroyed: its term is over/);
	});

	it('many are retired at once, but those that are at a place', async () => {
		const [one, other, bound] = [await withPast(), await withPast(), await boundUnit('gateway', customer)];
		const form = new FormData();
		for (const { unitId } of [one, other, bound]) form.append('unit', unitId);
		form.set('reason', 'The customer closed these sites');
		const answer = await answerOf(await post('/units?/retire', form, {}, coordinator));
		expect(answer.data!.said).to.match(/^2 units are retired/);
		const isRetired = async ({ unitId }: { unitId: string }) =>
			(await as(coordinator, () => retiredById(unitId))) !== null;
		await onChange(['units'], async () => (await isRetired(one)) && isRetired(other));
		expect((await get(`/units/${bound.unitId}`, coordinator)).status).to.equal(200);
	});

	it('every table that refers to a unit is thought of', async () => {
		const { rows } = await asOwner(
			`select distinct conrelid::regclass::text as name from pg_constraint where contype = 'f' and confrelid in ('unit'::regclass, 'run'::regclass)`
		);
		const { rows: functions } = await asOwner(
			`select string_agg(prosrc, ' ') as text from pg_proc where proname in ('limen_retire', 'limen_destroy_retired')`
		);
		const { text } = functions[0] as { text: string };
		// Goes with its run by itself; binds what is in use alone; and the unit that took over
		const others = ['diagnosis', 'failure_outcome', 'binding', 'unit'];
		expect(
			(rows as { name: string }[])
				.map(({ name }) => name)
				.filter((name) => !others.includes(name) && !new RegExp(`\\b${name}\\b`).test(text))
		).to.deep.equal([]);
	});
});
