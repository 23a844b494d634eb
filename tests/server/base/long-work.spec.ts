import { expect } from 'chai';
import { inRecords } from '../../programs';
import { startBinding } from '../../../src/lib/server/binding';
import { enterInLedger } from '../../../src/lib/server/ledger';
import { beginLongWork, onLongWork, workOn } from '../../../src/lib/server/jobs';
import { done, refuse } from '../../../src/lib/server/act';
import { database } from '../../../src/lib/server/database';
import {
	actorOf,
	answerOf,
	boundUnit,
	customerId,
	doneBy,
	get,
	newPerson,
	post,
	report,
	runOf,
	unwalled
} from '../making';
import { onChange } from '../dialling';

/** A unit whose run has failed. */
async function failedUnit() {
	const unit = await boundUnit();
	await report(unit, 'bootstrap-initiated');
	await report(unit, 'config-error', { message: 'line 1: no' });
	expect((await runOf(unit.runId)).outcome).to.equal('failed');
	return unit;
}
const workOf = async (personId: string) =>
	unwalled()('long_work').where({ person_id: personId }).orderBy('begun_at', 'desc').first();
async function ended(personId: string) {
	await onChange(['work'], async () => (await workOf(personId))?.state !== 'under way');
	return workOf(personId);
}

describe('long work', () => {
	before(startBinding);

	it('does one thing after another as whoever began it, says what came of each, and follows them', async () => {
		const [first, second, untouched] = [await failedUnit(), await failedUnit(), await boundUnit()];
		const person = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const form = new URLSearchParams(
			[first, second, untouched].map(({ unitId }): [string, string] => ['unit', unitId])
		);
		const answer = await post('/units?/retry', form as never, {}, person);
		expect(await answer.text())
			.to.include('2 units may try again')
			.and.to.include('1 had not failed');
		const work = await ended(person.id);
		expect(work).to.include({ state: 'done', total: 2, done: 2, failed: 0, actor: inRecords(person.name) });
		for (const { positionId } of [first, second]) {
			const runs = await unwalled()('run').where({ position_id: positionId }).orderBy('number');
			expect(runs.map(({ outcome }) => outcome)).to.deep.equal(['failed', 'open']);
		}
		const entries = await unwalled()('ledger_entry').where({ act: 'retry', person_id: person.id });
		expect(entries).to.have.lengthOf(2);
		const [page, elsewhere] = await Promise.all(
			[`/work/${work.id}`, '/sites'].map((path) => get(path, person).then((response) => response.text()))
		);
		expect(page).to.include(first.serial).and.to.include('all 2 done');
		expect(elsewhere).to.include('Let units try again').and.to.include('all 2 done');
		await post(`/work/${work.id}?/away`, {}, {}, person);
		expect(await get('/sites', person).then((response) => response.text())).to.not.include('all 2 done');
	});

	it('is done once however many take it up at the same time, and tells what was refused as a list', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const customer = await customerId();
		onLongWork('count', async (trx, { name }, actor) => {
			const words = `${name} is counted.`;
			await enterInLedger(trx, actor, [
				{ act: 'count', customerId: customer, subjectKind: 'customer', subjectId: customer, words }
			]);
			// What was done of it so far is taken back
			return name!.endsWith('7') ? refuse(`${name} cannot be done.`) : done(words);
		});
		const begun = await doneBy(person, (actor) =>
			database().transaction((trx) =>
				beginLongWork(
					trx,
					{
						kind: 'count',
						title: 'Count',
						things: Array.from({ length: 40 }, (_, index) => ({
							customerId: customer,
							subject: `thing ${index}`,
							about: { name: `thing ${index}` }
						}))
					},
					actor
				)
			)
		);
		if (!begun.ok) throw new Error(begun.problem);
		// The application does not know this kind: its tries fail, and are made again later
		await Promise.all(Array.from({ length: 4 }, () => workOn(begun.done.id)));
		const work = await workOf(person.id);
		expect(work).to.include({ state: 'done', done: 36, failed: 4 });
		const counted = await unwalled()('ledger_entry')
			.where({ act: 'count', person_id: person.id })
			.pluck('words');
		expect(counted).to.have.lengthOf(36);
		expect(new Set(counted).size).to.equal(36);
		const file = await get(`/work/${work.id}/file`, person).then((answer) => answer.text());
		expect(file.trim().split('\r\n').slice(1)).to.deep.equal(
			[7, 17, 27, 37].map((n) => `thing ${n},thing ${n} cannot be done.`)
		);
	});

	it('stops when whoever began it says so, and does nothing for who was shut out meanwhile', async () => {
		const person = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const customer = await customerId();
		const other = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		onLongWork('stop', async (_trx, { name }, actor) => {
			if (!actor.may('bind', customer)) return refuse('You may not.');
			if (name === '3') {
				const refused = await answerOf(await post(`/work/${begunId}?/cancel`, {}, {}, other));
				expect(refused.status).to.equal(409);
				await post(`/work/${begunId}?/cancel`, {}, {}, person);
			}
			return done('');
		});
		const things = Array.from({ length: 10 }, (_, index) => ({
			customerId: customer,
			subject: `thing ${index}`,
			about: { name: String(index + 1) }
		}));
		const begin = async () => {
			const actor = await actorOf(person);
			const act = await doneBy(person, () =>
				database().transaction((trx) => beginLongWork(trx, { kind: 'stop', title: 'Stop', things }, actor))
			);
			if (!act.ok) throw new Error(act.problem);
			return act.done.id;
		};
		const begunId = await begin();
		await workOn(begunId);
		expect(await workOf(person.id)).to.include({ state: 'cancelled', done: 3, failed: 0 });
		const next = await begin();
		await unwalled()('person').where({ id: person.id }).update({ disabled_at: new Date() });
		await workOn(next);
		expect(await workOf(person.id)).to.include({ state: 'cancelled', done: 0, failed: 0 });
	});
});
