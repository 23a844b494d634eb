import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { conflictsOf, dayOf, notesAt, settle, takeOver, type SentEntry } from '../../../src/lib/server/day';
import { bindUnit } from '../../../src/lib/server/binding';
import {
	ACTOR,
	address,
	answerOf,
	boundUnit,
	doneBy,
	get,
	newPerson,
	newUnit,
	openPosition,
	post,
	report,
	type TestPerson,
	unwalled
} from '../making';

const CUSTOMER = 'Marlstone Veterinary';
const JPEG = Buffer.from([0xff, 0xd8, 0xff, 0xe0, 1, 2, 3]);

async function place() {
	const positionId = await openPosition();
	const { site_id: siteId } = await unwalled()('position').where({ id: positionId }).first('site_id');
	return { positionId, siteId: siteId as string };
}
const boundAt = async (positionId: string) =>
	(await unwalled()('binding').where({ position_id: positionId }).first('unit_id'))?.unit_id ?? null;

describe('work on site', () => {
	let tobias: TestPerson;
	const bind = (
		at: { positionId: string; siteId: string },
		serial: string,
		when = Date.now()
	): SentEntry => ({
		id: uuid(),
		at: when,
		kind: 'bind',
		serial,
		...at
	});
	const settledByTobias = (id: string, choice: 'mine' | 'theirs') =>
		doneBy(tobias, (actor) => settle(id, choice, actor));
	const take = (entries: readonly SentEntry[], now = Date.now()) =>
		doneBy(tobias, (actor) => takeOver(entries, now, actor));
	const sync = (body: unknown, as = tobias) =>
		fetch(address('/day/sync'), {
			method: 'POST',
			headers: { cookie: as.cookie, origin: address(''), 'content-type': 'application/json' },
			body: typeof body === 'string' ? body : JSON.stringify(body)
		});

	before(async () => {
		tobias = await newPerson({ [CUSTOMER]: 'technician' });
	});

	it('has the day’s sites in their order, with what could be bound there', async () => {
		const [first, second, along] = [await place(), await place(), await place()];
		const unit = await newUnit();
		const now = Date.now();
		for (const [at, hours] of [
			[second, 3],
			[first, 1],
			[along, 200]
		] as const)
			await unwalled()('site')
				.where({ id: at.siteId })
				.update({ technician_id: tobias.id, appointment_at: new Date(now + hours * 3_600_000) });
		const day = await dayOf(tobias.id, [], now);
		expect(day.sites.map(({ id }) => id)).to.deep.equal([first.siteId, second.siteId]);
		expect(day.sites[0]!.positions[0]).to.deep.include({
			id: first.positionId,
			standing: 'open',
			serial: null
		});
		expect(day.units.find(({ serial }) => serial === unit.serial)).to.deep.include({
			roles: ['gateway'],
			boundAt: null
		});
		expect(day.models.length).to.be.greaterThan(3);
		expect((await dayOf(tobias.id, [along.siteId], now)).sites).to.have.length(3);
		const stranger = await newPerson({ 'Southfold Physio': 'technician' });
		const theirs = await (await get(`/day?site=${first.siteId}`, stranger)).text();
		expect(theirs).not.to.include(unit.serial);
		expect(await (await get(`/day?site=${first.siteId}`, tobias)).text()).to.include(unit.serial);
	});

	it('is taken over once, however often it is sent, in the order it was done', async () => {
		const one = await place();
		const unit = await newUnit();
		const now = Date.now();
		const entries: SentEntry[] = [
			{
				id: uuid(),
				at: now - 1000,
				kind: 'note',
				siteId: one.siteId,
				positionId: null,
				text: 'Ladder is at the back'
			},
			bind(one, unit.serial, now - 5000),
			{
				id: uuid(),
				at: now - 500,
				kind: 'photo',
				siteId: one.siteId,
				positionId: one.positionId,
				image: JPEG,
				caption: 'In the rack'
			}
		];
		const outcomes = await take(entries);
		expect(outcomes.map(({ outcome }) => outcome)).to.deep.equal(['done', 'done', 'done']);
		expect(await boundAt(one.positionId)).to.equal(unit.unitId);
		const again = await Promise.all([take(entries), take(entries)]);
		for (const answer of again) expect(answer).to.deep.equal(outcomes);
		expect((await notesAt(one.siteId)).map(({ words }) => words)).to.have.members([
			'Ladder is at the back',
			'In the rack'
		]);
		const acts = await unwalled()('ledger_entry').where({ subject_id: one.siteId }).pluck('act');
		expect(acts).to.have.members(['note at site', 'photo at site']);

		const photo = await get(`/day/photos/${entries[2]!.id}`, tobias);
		expect(Buffer.from(await photo.arrayBuffer()).equals(JPEG)).to.equal(true);
		expect(photo.headers.get('content-type')).to.equal('image/jpeg');
		expect(await (await get(`/sites/${one.siteId}`, tobias)).text()).to.include('Ladder is at the back');
	});

	it('keeps both sides where the same unit was scanned at two sites, and lets a person decide', async () => {
		const [one, other] = [await place(), await place()];
		const unit = await newUnit();
		const outcomes = await take([bind(one, unit.serial, 1000), bind(other, unit.serial, 2000)], 3000);
		expect(outcomes.map(({ outcome }) => outcome)).to.deep.equal(['done', 'conflict']);
		const [conflict] = (await conflictsOf(tobias.id)).filter(({ serial }) => serial === unit.serial);
		expect(conflict!.words).to.match(/already bound to/);
		expect((await settledByTobias(conflict!.id, 'mine')).ok).to.equal(true);
		expect(await boundAt(other.positionId)).to.equal(unit.unitId);
		expect(await boundAt(one.positionId)).to.equal(null);
		const twice = await settledByTobias(conflict!.id, 'theirs');
		expect(twice.ok || twice.problem).to.equal('This is settled already.');
	});

	it('keeps both sides where somebody bound another unit meanwhile: unbound when silent, swapped when it ran', async () => {
		const quiet = await place();
		const [theirs, mine] = [await newUnit(), await newUnit()];
		await bindUnit(quiet.positionId, theirs.unitId, ACTOR);
		const [clash] = await take([bind(quiet, mine.serial)]);
		expect(clash!.outcome).to.equal('conflict');
		expect(await boundAt(quiet.positionId), 'nothing is changed by itself').to.equal(theirs.unitId);
		await settledByTobias(clash!.id, 'theirs');
		expect(await boundAt(quiet.positionId)).to.equal(theirs.unitId);

		const running = await boundUnit();
		await report(running, 'bootstrap-initiated');
		const { site_id: siteId } = await unwalled()('position')
			.where({ id: running.positionId })
			.first('site_id');
		const [second] = await take([bind({ positionId: running.positionId, siteId }, mine.serial)]);
		expect((await settledByTobias(second!.id, 'mine')).ok).to.equal(true);
		expect(await boundAt(running.positionId)).to.equal(mine.unitId);
		expect(
			(await unwalled()('unit').where({ id: running.unitId }).first()).out_of_service_at
		).to.be.an.instanceOf(Date);

		// Running elsewhere by now: not pulled away from there
		const elsewhere = await boundUnit();
		await report(elsewhere, 'bootstrap-initiated');
		const target = await place();
		const [third] = await take([bind(target, elsewhere.serial)]);
		const refused = await settledByTobias(third!.id, 'mine');
		expect(refused.ok || refused.problem).to.match(/already runs at another position/);
		expect(await boundAt(elsewhere.positionId)).to.equal(elsewhere.unitId);
	});

	it('is told in the server’s time, whatever the phone’s clock says', async () => {
		const at = await place();
		const wrong = Date.parse('2031-01-01T00:00:00Z');
		const before = Date.now();
		await take(
			[{ id: uuid(), at: wrong - 60_000, kind: 'note', siteId: at.siteId, positionId: null, text: 'x' }],
			wrong
		);
		const row = await unwalled()('day_entry').where({ site_id: at.siteId }).first();
		// The database's time, as the application has it, is off by half of what it took to ask for it: half a second at most
		expect(row.done_at.getTime()).to.be.within(before - 60_500, Date.now() - 59_500);
		expect(Number(row.clock_off_ms)).to.be.greaterThan(3e10);
	});

	it('is refused in words where it cannot be, and nothing else with it', async () => {
		const at = await place();
		const unit = await newUnit('access-point');
		const other = await place();
		const outcomes = await take([
			bind(at, 'OG2K00000000', 1),
			bind(at, unit.serial, 2),
			bind({ siteId: at.siteId, positionId: other.positionId }, unit.serial, 3),
			{ id: uuid(), at: 4, kind: 'note', siteId: uuid(), positionId: null, text: 'x' },
			{ id: uuid(), at: 5, kind: 'note', siteId: at.siteId, positionId: null, text: 'good' }
		]);
		expect(outcomes.map(({ outcome }) => outcome)).to.deep.equal([
			'refused',
			'refused',
			'refused',
			'refused',
			'done'
		]);
		expect(outcomes[0]!.words).to.match(/is not claimed/);
		expect(outcomes[1]!.words).to.match(/cannot serve as gateway/);

		const stranger = await newPerson({ 'Southfold Physio': 'technician' });
		const reader = await newPerson({ [CUSTOMER]: 'reader' });
		const note = { id: uuid(), at: 1, kind: 'note', siteId: at.siteId, positionId: null, text: 'x' };
		const answer = await (await sync({ now: 1, entries: [note] }, stranger)).json();
		expect(answer.outcomes[0].words).to.equal('This site is not yours to work at.');
		expect((await sync({ now: 1, entries: [note] }, reader)).status).to.equal(403);
		for (const body of [
			'',
			'{',
			'[]',
			{ now: 'x', entries: [] },
			{ now: 1, entries: [{ ...note, text: '' }] },
			{ now: 1, entries: [{ ...note, kind: 'photo', image: Buffer.from('<svg/>').toString('base64') }] },
			{ now: 1, entries: [{ ...note, id: 'x' }] },
			{ settle: uuid(), choice: 'both' }
		])
			expect((await sync(body)).status, JSON.stringify(body)).to.equal(400);
		const settling = async (choice: string) =>
			(await answerOf(await post('/day?/settle', { conflict: uuid(), choice }, {}, tobias))).status;
		expect(await settling('mine')).to.equal(409);
		expect(await settling('both')).to.equal(400);
	});

	it('of one person is not another’s to send or to settle', async () => {
		const at = await place();
		const [one, two] = [await newUnit(), await newUnit()];
		await bindUnit(at.positionId, one.unitId, ACTOR);
		const [clash] = await take([bind(at, two.serial)]);
		const other = await newPerson({ [CUSTOMER]: 'technician' });
		const act = await doneBy(other, (actor) => settle(clash!.id, 'mine', actor));
		expect(act.ok).to.equal(false);
	});
});
