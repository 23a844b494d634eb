import { expect } from 'chai';
import { chosenKind, USUAL_RULES } from '../../../src/core/rollout';
import { cohorts, dropCohort, keepCohort } from '../../../src/lib/server/cohorts';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { takeStance } from '../../../src/lib/server/stance';
import {
	advance,
	beginRollout,
	draftRollout,
	goBack,
	itemsOfRollout,
	rolloutById
} from '../../../src/lib/server/rollout';
import { onChange } from '../dialling';
import { BECAUSE, online, type Gateway } from '../gateway';
import { ACTOR, customerId, doneBy, newPerson, unwalled } from '../making';
import { fresh, must, why } from '../profile/profile-making';

const CUSTOMER = 'Marlstone Veterinary';
const turn = (id: string) => runAs(BOOTSTRAP, () => advance(id));
const begin = async (id: string, units: number) =>
	must(await beginRollout(id, { title: 'By rule', rules: USUAL_RULES, units, asked: false }, ACTOR));
const stancesOf = async (gateways: readonly Gateway[]): Promise<(string | null)[]> => {
	const rows: { unit_id: string; stance: string }[] = await unwalled()('stance').whereIn(
		'unit_id',
		gateways.map(({ unit }) => unit.unitId)
	);
	return gateways.map(({ unit }) => rows.find((row) => row.unit_id === unit.unitId)?.stance ?? null);
};
/** Gives a unit's position a value that a cohort can be told by. */
const inRing = ({ unit }: Gateway, ring: string) =>
	unwalled().raw(`update position set values = values || ? where id = ?`, [
		JSON.stringify({ ring }),
		unit.positionId
	]);
async function cohortOf(ring: string): Promise<string> {
	const customer = await customerId(CUSTOMER);
	must(
		await keepCohort({ customer, name: ring, rule: `field=${encodeURIComponent(`ring=${ring}`)}` }, ACTOR)
	);
	return (await cohorts([customer])).find(({ name }) => name === ring)!.id;
}
const untilEnded = (id: string) =>
	onChange(['rollouts'], async () => {
		await turn(id);
		return (await rolloutById(id))!.state === 'ended';
	});

describe('a rollout by rule', () => {
	it('takes in whoever comes into its cohort while it is under way, once, and nobody else', async () => {
		const ring = fresh('ring');
		const [first, second, stranger] = [await online(), await online(), await online()];
		for (const { call } of [first, second, stranger]) await call!.end();
		await inRing(first, ring);
		await inRing(stranger, `${ring} `);
		const cohort = await cohortOf(ring);
		const draft = (joins: boolean) => draftRollout({ kind: 'restart', whom: { cohort, joins } }, ACTOR);
		const [id, closed] = [must(await draft(true)).id, must(await draft(false)).id];
		expect(await rolloutById(id)).to.include({ cohort: ring, joins: true, total: 1 });
		await begin(id, 1);
		await begin(closed, 1);
		await turn(id);
		await inRing(second, ring);
		const look = async () => {
			await unwalled()('rollout').whereIn('id', [id, closed]).update({ joined_at: null });
			await Promise.all([turn(id), turn(id), turn(closed)]);
			await turn(id);
		};
		await look();
		await look();
		const unitsOf = async (rollout: string) => (await itemsOfRollout(rollout)).map(({ unitId }) => unitId);
		expect(await unitsOf(id)).to.have.members([first.unit.unitId, second.unit.unitId]);
		expect((await itemsOfRollout(id)).map(({ wave }) => wave)).to.deep.equal([0, 0]);
		expect(await unitsOf(closed)).to.deep.equal([first.unit.unitId]);
		const acts: string[] = await unwalled()('ledger_entry')
			.where({ subject_id: id, act: 'rollout joined' })
			.pluck('words');
		expect(acts).to.deep.equal(['Rollout “By rule”: 1 unit came into its cohort and joined.']);
		// Without its cohort it is what it was
		must(await dropCohort(cohort, ACTOR));
		await look();
		expect(await rolloutById(id)).to.include({ state: 'under way', total: 2, cohort: null });
	});

	it('of a cohort needs somebody who may send there, and somebody in it', async () => {
		const ring = fresh('ring');
		const cohort = await cohortOf(ring);
		const draft = (actor = ACTOR) => draftRollout({ kind: 'restart', whom: { cohort, joins: true } }, actor);
		expect(why(await draft())).to.equal('None of these units is online.');
		await inRing(await online(), ring);
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect(why(await doneBy(elsewhere, draft))).to.equal('There is no such cohort.');
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		expect(why(await doneBy(technician, draft))).to.match(/may not send/);
	});

	it('changes what becomes of drift, needs no window and no connection, and goes back to what each had', async () => {
		const gateways = [await online(), await online()];
		for (const { call } of gateways) await call!.end();
		const [watched, plain] = gateways as [Gateway, Gateway];
		const customer = await customerId(CUSTOMER);
		must(
			await takeStance({ customerId: customer, siteId: null, unitId: watched.unit.unitId }, 'watch', ACTOR)
		);
		const units = gateways.map(({ unit }) => unit.unitId);
		const draft = (choice: 'hold' | 'watch') =>
			draftRollout({ ...chosenKind(choice), whom: { units } }, ACTOR);
		const { id } = must(await draft('hold'));
		await begin(id, 2);
		await untilEnded(id);
		expect(await rolloutById(id)).to.include({ done: 2, failed: 0 });
		expect(await stancesOf(gateways)).to.deep.equal(['hold', 'hold']);
		expect(why(await draft('hold'))).to.match(
			/Nothing is to be done. 2 units: that is stated for it already/
		);
		const stated: string[] = await unwalled()('ledger_entry')
			.where({ subject_id: plain.unit.unitId, act: 'take stance' })
			.pluck('words');
		expect(stated).to.deep.equal(['This unit: hold: put it back by itself.']);
		const back = must(await goBack(id, BECAUSE()));
		expect(back.count).to.equal(2);
		await begin(back.id, 2);
		await untilEnded(back.id);
		expect(await stancesOf(gateways)).to.deep.equal(['watch', null]);
	});
});
