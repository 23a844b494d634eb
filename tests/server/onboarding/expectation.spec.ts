import { expect } from 'chai';
import { retryRun } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { arrivalAt, record } from '../../../src/lib/server/runs';
import { outlook } from '../../../src/lib/server/watch';
import { learnAll, learnNew } from '../../../src/lib/server/watch/learn';
import type { RunEvent } from '../../../src/core/onboarding';
import { ACTOR, newUnit, openPosition, runOf, unwalled } from '../making';
import { bindUnit } from '../../../src/lib/server/binding';

/** What is normal is learnt by model: a model of its own keeps what other tests do out of it. */
let models = 0;
async function ofOwnModel(unitId: string): Promise<string> {
	const id = `timed-${process.pid}-${++models}`;
	await unwalled().raw(
		`insert into model select (jsonb_populate_record(model, jsonb_build_object('id', :id::text, 'name', :id::text))).*
		from model where id = (select model_id from unit where id = :unit)`,
		{ id, unit: unitId }
	);
	await unwalled().raw(
		`insert into model_role (model_id, role_id) select ?, role_id from model_role where model_id = (select model_id from unit where id = ?)`,
		[id, unitId]
	);
	await unwalled()('unit').where({ id: unitId }).update({ model_id: id });
	return id;
}
async function timedUnit() {
	const unit = await newUnit('gateway', 'Marlstone Veterinary');
	const modelId = await ofOwnModel(unit.unitId);
	const positionId = await openPosition('gateway', 'Marlstone Veterinary');
	const act = await bindUnit(positionId, unit.unitId, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return { ...unit, modelId, positionId, runId: act.done.runId };
}
const happens = (runId: string, event: RunEvent, facts?: { version: string }) =>
	runAs(BOOTSTRAP, () => record({ runId, event, words: '', ...(facts && { facts }) }));
const reports = (runId: string, at: number, type: string) =>
	happens(runId, { kind: 'report', at, type: type as never, words: '' });
const timesOf = (runId: string) =>
	unwalled()('step_time')
		.join('step_group', 'step_group.id', 'group_id')
		.where({ run_id: runId })
		.orderBy('step_time.id')
		.select('step', 'seconds', 'has_ended', 'model_id', 'from_version', 'to_version', 'image_size');
const groupAt = async (runId: string): Promise<string> => (await runOf(runId)).group_id;
/** Runs that went before, of the same group. */
async function history(groupId: string, seconds: readonly number[]): Promise<void> {
	const customer = await unwalled()('customer').first('id');
	await unwalled()('step_time').insert(
		seconds.map((one) => ({
			group_id: groupId,
			customer_id: customer.id,
			began_at: new Date(),
			seconds: one,
			has_ended: true
		}))
	);
}
const standing = async (positionId: string) =>
	(await unwalled()('position_standing').where({ position_id: positionId }).first()) as {
		standing: string;
		lacks: string | null;
		late_at: Date | null;
	};

describe('what is normal for a step', () => {
	it('is kept of every step that a run leaves, with whether it ended by itself', async () => {
		const { runId, modelId } = await timedUnit();
		const begun = Date.now() - 100_000;
		await happens(runId, { kind: 'call', at: begun }, { version: '6.8.2' });
		await reports(runId, begun + 10_000, 'bootstrap-initiated');
		await unwalled()('run').where({ id: runId }).update({ target_version: '7.0.3' });
		await reports(runId, begun + 13_000, 'boot-image-initiated');
		await reports(runId, begun + 53_000, 'boot-image-installed-rebooting');
		await reports(runId, begun + 60_000, 'bootstrap-initiated');
		await reports(runId, begun + 63_000, 'config-initiated');
		await reports(runId, begun + 70_000, 'config-error');
		const times = await timesOf(runId);
		expect(times.map(({ step, seconds, has_ended }) => [step, seconds, has_ended])).to.deep.equal([
			['calling', 10, true],
			['identity', 3, true],
			['firmware', 50, true],
			['configuration', 7, false]
		]);
		expect(times[0]).to.include({ model_id: modelId, from_version: '', to_version: '', image_size: 0 });
		expect(times[2]).to.include({ from_version: '6.8.2', to_version: '7.0.3' });
		expect(times[2].image_size).to.be.greaterThan(0);
		expect((await runOf(runId)).called_at.getTime()).to.equal(begun);
	});

	it('does not count a step that is over before it began, where a clock was put back', async () => {
		const { runId } = await timedUnit();
		const begun = Date.now();
		await happens(runId, { kind: 'call', at: begun });
		await reports(runId, begun - 3_600_000, 'bootstrap-initiated');
		expect((await timesOf(runId)).map(({ seconds }) => seconds)).to.deep.equal([0]);
	});

	it('is what the pack says until there are runs, then what they took; and tells who is late and stalled', async () => {
		const units = [await timedUnit(), await timedUnit(), await timedUnit()];
		const [moving, late, stalled] = units;
		const lasted = [20_000, 45_000, 3_600_000];
		for (const [index, { runId }] of units.entries())
			await happens(runId, { kind: 'call', at: Date.now() - lasted[index]! });
		await runAs(BOOTSTRAP, learnNew);
		const first = await unwalled()('step_group')
			.where({ id: await groupAt(moving!.runId) })
			.first();
		expect(first.median).to.be.greaterThan(0);
		expect(first.learnt).to.include({ own: 0 });
		// Ten of each second from 11 to 40
		for (const { runId } of units)
			await history(
				await groupAt(runId),
				Array.from({ length: 300 }, (_, index) => 11 + (index % 30))
			);
		await runAs(BOOTSTRAP, learnAll);
		const learnt = await unwalled()('step_group')
			.where({ id: await groupAt(moving!.runId) })
			.first();
		// The one that is still open moves them by a second
		expect(learnt.median).to.be.within(25, 26);
		expect(learnt.late).to.be.within(37, 38);
		expect(learnt.learnt).to.include({ own: 300, borrowed: 0 });
		expect((await standing(moving!.positionId)).standing).to.equal('moving');
		expect((await standing(late!.positionId)).standing).to.equal('late');
		expect((await standing(stalled!.positionId)).standing).to.equal('stalled');
		const arrival = (await arrivalAt(late!.positionId))!;
		expect(arrival.lateAt! - arrival.since).to.be.closeTo(37_500, 505);
	});

	it('lets a unit that has stalled begin anew, and one that moves not', async () => {
		const [moves, hangs] = [await timedUnit(), await timedUnit()];
		await happens(moves.runId, { kind: 'call', at: Date.now() });
		await happens(hangs.runId, { kind: 'call', at: Date.now() - 86_400_000 });
		await runAs(BOOTSTRAP, learnNew);
		expect(await retryRun(moves.positionId, ACTOR)).to.include({ ok: false });
		const act = await retryRun(hangs.positionId, ACTOR);
		expect(act).to.include({ ok: true });
		expect(await runOf(hangs.runId)).to.include({ outcome: 'cancelled' });
		expect(act.ok && (await runOf(act.done.runId))).to.include({ step: 'bound', outcome: 'open' });
		expect((await timesOf(hangs.runId)).at(-1)).to.include({ step: 'calling', has_ended: false });
	});

	it('is not waited for where it cannot come: the image is gone', async () => {
		const { runId, positionId } = await timedUnit();
		await happens(runId, { kind: 'call', at: Date.now() });
		await unwalled()('run').where({ id: runId }).update({ target_version: '99.9' });
		await reports(runId, Date.now(), 'boot-image-initiated');
		expect(await standing(positionId)).to.include({ standing: 'stalled', lacks: 'image' });
	});
});

describe('when a site is through', () => {
	it('is after its gateway, for what waits behind it; nobody knows for what is not plugged in', async () => {
		const gateway = await timedUnit();
		const point = await newUnit('access-point', 'Marlstone Veterinary');
		const site = (await unwalled()('position').where({ id: gateway.positionId }).first('site_id')).site_id;
		const pointAt = await openPosition('access-point', 'Marlstone Veterinary');
		await unwalled()('position').where({ id: pointAt }).update({ site_id: site });
		const bound = await bindUnit(pointAt, point.unitId, ACTOR);
		if (!bound.ok) throw new Error(bound.problem);
		const looked = () => runAs(BOOTSTRAP, () => outlook([site]));
		expect((await looked()).sites.size).to.equal(0);
		await happens(gateway.runId, { kind: 'call', at: Date.now() });
		const { runs, sites, all } = await looked();
		const [own, behind] = [runs.get(gateway.runId)!, runs.get(bound.done.runId)!];
		expect(own.median).to.be.greaterThan(Date.now()).and.lessThan(own.latest);
		expect(behind.median).to.be.greaterThan(own.median);
		expect(sites.get(site)!.median).to.be.at.least(behind.median);
		expect(all).to.deep.equal(sites.get(site));
	});

	it('asks for nothing where no site is meant', async () => {
		expect((await runAs(BOOTSTRAP, () => outlook([]))).all).to.equal(null);
	});
});
