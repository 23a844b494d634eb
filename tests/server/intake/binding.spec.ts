import { expect } from 'chai';
import { bindUnit, retryRun, unbindUnit } from '../../../src/lib/server/binding';
import { record } from '../../../src/lib/server/runs';
import { ACTOR, boundUnit, newUnit, openPosition, runOf, unwalled } from '../making';

describe('binding', () => {
	it('begins a run and says so in the ledger', async () => {
		const bound = await boundUnit();
		expect(await runOf(bound.runId)).to.include({
			step: 'bound',
			outcome: 'open',
			number: 1,
			unit_id: bound.unitId
		});
		const [entry] = await unwalled()('ledger_entry').where({ subject_id: bound.unitId, act: 'bind' });
		expect(entry.detail).to.deep.equal({ positionId: bound.positionId, runId: bound.runId });
	});

	it('lets one of many through who bind the same at once, and tells the others why', async () => {
		const [unit, other] = [await newUnit(), await newUnit()];
		const [here, there] = [await openPosition(), await openPosition('gateway', 'Marlstone Veterinary')];
		const acts = await Promise.all([
			bindUnit(here, unit.unitId, ACTOR),
			bindUnit(here, other.unitId, ACTOR),
			bindUnit(here, unit.unitId, ACTOR),
			bindUnit(there, unit.unitId, ACTOR)
		]);
		for (const act of acts) if (!act.ok) expect(act.problem).to.match(/already|Somebody else/);
		const bindings = await unwalled()('binding').whereIn('unit_id', [unit.unitId, other.unitId]);
		expect(new Set(bindings.map(({ position_id }) => position_id)).size).to.equal(bindings.length);
		expect(new Set(bindings.map(({ unit_id }) => unit_id)).size).to.equal(bindings.length);
		expect(acts.filter(({ ok }) => ok)).to.have.lengthOf(bindings.length);
		expect(bindings.length).to.be.greaterThan(0);
		// A refused act leaves no run behind
		expect(await unwalled()('run').whereIn('unit_id', [unit.unitId, other.unitId])).to.have.lengthOf(
			bindings.length
		);
	});

	it('refuses what does not suit, with the reason', async () => {
		const router = await newUnit('router', 'Pippin & Loaf');
		const refused = async (position: string, unit: string) => {
			const act = await bindUnit(position, unit, ACTOR);
			return act.ok ? '' : act.problem;
		};
		expect(await refused(await openPosition('access-point', 'Pippin & Loaf'), router.unitId)).to.match(
			/cannot serve as access point/
		);
		expect(await refused(await openPosition('gateway'), router.unitId)).to.equal(
			'There is no such unit or position.'
		);
		expect(await refused('00000000-0000-7000-8000-00000000dead', router.unitId)).to.equal(
			'There is no such unit or position.'
		);
	});

	it('is undone by unbinding: the run is cancelled, the history stays, the unit can go elsewhere', async () => {
		const bound = await boundUnit();
		expect(await unbindUnit(bound.positionId, ACTOR)).to.include({ ok: true });
		expect(await runOf(bound.runId)).to.include({ outcome: 'cancelled' });
		expect(await unbindUnit(bound.positionId, ACTOR)).to.include({ ok: false });
		expect(await bindUnit(bound.positionId, bound.unitId, ACTOR)).to.include({ ok: true });
		expect(await unwalled()('run').where({ position_id: bound.positionId })).to.have.lengthOf(2);
	});

	it('lets a failed run try again, and only a failed one', async () => {
		const bound = await boundUnit();
		expect(await retryRun(bound.positionId, ACTOR)).to.include({ ok: false });
		await record({
			runId: bound.runId,
			event: { kind: 'withheld', at: Date.now(), words: 'no' },
			words: 'no'
		});
		const act = await retryRun(bound.positionId, ACTOR);
		if (!act.ok) throw new Error(act.problem);
		expect(await runOf(act.done.runId)).to.include({ number: 2, step: 'bound', outcome: 'open' });
		expect(await runOf(bound.runId)).to.include({ outcome: 'failed', failure_words: 'no' });
	});
});
