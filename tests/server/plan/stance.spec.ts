import { expect } from 'chai';
import { alerts } from '../../../src/lib/server/alerts';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { findingsOf } from '../../../src/lib/server/drift';
import { hold, stanceOfUnit, takeStance, type StanceOwner } from '../../../src/lib/server/stance';
import { saveWindowRule } from '../../../src/lib/server/windows';
import { NO_RULE } from '../../../src/core/windows';
import { v7 as uuid } from 'uuid';
import { onChange } from '../dialling';
import { online, readAnew, stateOf, typed, untilSend, type Gateway } from '../gateway';
import { ACTOR, customerId, doneBy, newPerson, unwalled } from '../making';
import { must, why } from '../profile/profile-making';

const holding = () => runAs(BOOTSTRAP, hold);
const alertsOf = async (unitId: string) => (await alerts(null, { unitId })).map(({ kind }) => kind);
const ownerOf = async (unitId: string): Promise<StanceOwner> => ({
	customerId: await customerId(),
	siteId: null,
	unitId
});
async function held(): Promise<Gateway> {
	const gateway = await online();
	await readAnew(gateway);
	must(await takeStance(await ownerOf(gateway.unit.unitId), 'hold', ACTOR));
	return gateway;
}
const NOTE = (text: string) => `${text}kitchen-note on;\n`;

describe('stance', () => {
	it('is taken by those who may send there; a unit that is new is watched, whatever its site is held to', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		const { site_id: siteId } = await unwalled()('position').where({ id: positionId }).first('site_id');
		const site = { customerId: await customerId(), siteId, unitId: null };
		expect(await stanceOfUnit(unitId)).to.deep.equal({ stance: 'watch', from: 'usual' });
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(why(await doneBy(technician, (actor) => takeStance(site, 'hold', actor)))).to.match(
			/may not decide/
		);
		must(await takeStance(site, 'hold', ACTOR));
		expect(await stanceOfUnit(unitId)).to.deep.equal({ stance: 'watch', from: 'new' });
		await unwalled()('run')
			.where({ unit_id: unitId })
			.update({ ended_at: unwalled().raw("now() - interval '4 days'") });
		expect(await stanceOfUnit(unitId)).to.deep.equal({ stance: 'hold', from: 'site' });
		must(await takeStance(await ownerOf(unitId), 'watch', ACTOR));
		expect(await stanceOfUnit(unitId)).to.deep.equal({ stance: 'watch', from: 'unit' });
		must(await takeStance(await ownerOf(unitId), null, ACTOR));
		expect(why(await takeStance(site, 'hold', ACTOR))).to.match(/already/);
	});

	it('hold puts back by itself what drifted, and tells', async () => {
		const gateway = await held();
		const { unitId } = gateway.unit;
		typed(gateway, NOTE);
		await readAnew(gateway);
		await holding();
		await untilSend(unitId, 'committed');
		expect(await alertsOf(unitId)).to.have.members(['put back', 'changed outside']);
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		expect(gateway.runs).to.not.include('kitchen-note');
		await onChange(['drift', 'alerts'], async () => (await findingsOf(unitId)).length === 0);
		const { asked_by: by, reason } = await unwalled()('send').where({ unit_id: unitId }).first();
		expect([by, reason]).to.deep.equal(['Limen', 'It is held: what drifts is put back by itself.']);
		// Nothing is left to do
		await holding();
		expect(await unwalled()('send').where({ unit_id: unitId })).to.have.lengthOf(1);
	});

	it('hold common puts back what is alike everywhere, and tells only of what is the place’s own', async () => {
		const gateway = await online();
		await readAnew(gateway);
		const { unitId } = gateway.unit;
		must(await takeStance(await ownerOf(unitId), 'hold common', ACTOR));
		// Beside a note like any other one in which its own name stands
		const name = /name ([\w-]+);/.exec(gateway.runs)![1]!;
		const own = (text: string) => `${text}kitchen-note ${name};\n`;
		typed(gateway, own);
		await readAnew(gateway);
		await holding();
		expect(await stateOf(unitId)).to.equal(undefined);
		typed(gateway, (text) => `${text}cellar-note on;\n`);
		await readAnew(gateway);
		await holding();
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		expect(gateway.runs).to.include(`kitchen-note ${name}`).and.not.include('cellar-note');
	});

	it('hold leaves alone what touches the way to the unit, and a site whose window is closed or whose contact is asked', async () => {
		const gateway = await held();
		const { unitId, positionId } = gateway.unit;
		typed(gateway, (text) => text.replace(/note "uplink[^"]*"/, 'note "by the door"'));
		await readAnew(gateway);
		expect((await findingsOf(unitId)).map(({ touches }) => touches)).to.deep.equal(['uplink']);
		await holding();
		expect(await stateOf(unitId)).to.equal(undefined);
		const { site_id: siteId } = await unwalled()('position').where({ id: positionId }).first('site_id');
		const owner = { customerId: await customerId(), siteId, patternId: null };
		must(await saveWindowRule(owner, { rule: { ...NO_RULE, hours: [] }, edit: 0 }, ACTOR));
		typed(gateway, NOTE);
		await readAnew(gateway);
		await holding();
		must(await saveWindowRule(owner, { rule: { ...NO_RULE, asksFirst: true }, edit: 1 }, ACTOR));
		await holding();
		expect(await stateOf(unitId)).to.equal(undefined);
		must(await saveWindowRule(owner, { rule: NO_RULE, edit: 2 }, ACTOR));
		await holding();
		await untilSend(unitId, 'committed');
		// Only that was put back
		expect(gateway.runs).to.include('by the door').and.not.include('kitchen-note');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
	});

	it('hold stops where it does not take, or somebody wants it otherwise, and says so', async () => {
		const gateway = await held();
		const { unitId } = gateway.unit;
		typed(gateway, NOTE);
		await readAnew(gateway);
		await holding();
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		// As if that had happened twice more today
		const [first] = await unwalled()('send').where({ unit_id: unitId });
		for (const token of [uuid(), uuid()]) await unwalled()('send').insert({ ...first, id: uuid(), token });
		typed(gateway, NOTE);
		await readAnew(gateway);
		await holding();
		expect(await stateOf(unitId)).to.equal('confirmed');
		expect(await alertsOf(unitId)).to.include('not put back');
		const told = (await alerts(null, { unitId })).find(({ kind }) => kind === 'not put back')!;
		expect(told.words).to.match(/3 times in a day/);
		await holding();
		expect((await alerts(null, { unitId })).find(({ kind }) => kind === 'not put back')!.times).to.equal(1);
	});

	it('hold puts back so many units of a customer in an hour', async () => {
		const [one, other] = [await held(), await held()];
		const id = await customerId();
		const byLimen = unwalled()('send').where({ customer_id: id, asked_by: 'Limen' });
		const count = (await byLimen).length;
		await unwalled()('upkeep_rule')
			.insert({ customer_id: id, hold_an_hour: count + 1 })
			.onConflict('customer_id')
			.merge();
		try {
			for (const gateway of [one, other]) {
				typed(gateway, NOTE);
				await readAnew(gateway);
			}
			await holding();
			const states = [await stateOf(one.unit.unitId), await stateOf(other.unit.unitId)];
			expect(states.filter((state) => state === undefined)).to.have.lengthOf(1);
		} finally {
			await unwalled()('upkeep_rule').where({ customer_id: id }).delete();
		}
	});
});
