import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { lookWhoIsBehind } from '../../../src/lib/server/drift';
import {
	beginRollout,
	cancelRollout,
	draftRollout,
	failedAlike,
	goBack,
	goOnWithRollout,
	itemsOfRollout,
	leaveOut,
	lookAtRollout,
	pauseRollout,
	rolloutById,
	tellOfRollouts
} from '../../../src/lib/server/rollout';
import { shownAlike, workById } from '../../../src/lib/server/jobs';
import { sendsOf } from '../../../src/lib/server/send';
import type { Actor } from '../../../src/lib/server/ledger';
import { ACTOR, doneBy, get, newPerson, unwalled } from '../making';
import { onChange } from '../dialling';
import { BECAUSE, online, readAnew, renamed, untilSend, type Gateway, imagesOf } from '../gateway';
import { must, why } from '../profile/profile-making';
import {
	begun,
	untilStates,
	comesBack,
	untilState,
	statesOf,
	lettersTo,
	rules,
	units,
	letGo,
	nextOf,
	itemOf,
	turn,
	until,
	planned,
	some,
	VERSION
} from './rollout-making';

describe('a rollout', () => {
	before(() => imagesOf('okapira-og', ['6.5.0', '6.8.2', '7.0.3', VERSION]));

	it('goes through its waves, one after the other, tells its end, and can be taken back @long', async () => {
		const gateways = await some(3);
		const id = await begun(gateways);
		const waves = new Map((await itemsOfRollout(id)).map(({ unitId, wave }) => [unitId, wave!]));
		const inOrder = [...gateways].sort((a, b) => waves.get(a.unit.unitId)! - waves.get(b.unit.unitId)!);
		expect(inOrder.map(({ unit }) => waves.get(unit.unitId))).to.deep.equal([0, 1, 1]);
		await untilStates(id, inOrder, ['under way', 'waiting', 'waiting']);
		await comesBack(id, inOrder[0]!);
		await untilStates(id, inOrder, ['done', 'under way', 'under way']);
		for (const one of inOrder.slice(1)) await comesBack(id, one);
		await untilState(id, 'ended');
		expect(await statesOf(id, gateways)).to.deep.equal(['done', 'done', 'done']);
		expect((await rolloutById(id))!.words).to.equal('Over: 3 units done, 0 failed, 0 left out.');
		const acts: string[] = await unwalled()('ledger_entry')
			.where({ subject_id: id })
			.orderBy('id')
			.pluck('act');
		expect(acts).to.deep.equal(['plan rollout', 'begin rollout', 'rollout ended']);
		await runAs(BOOTSTRAP, tellOfRollouts);
		const letters = await lettersTo();
		const { title } = (await rolloutById(id))!;
		expect(letters.filter((one) => one.startsWith(`Rollout “${title}”: Over`))).to.have.length(1);
		expect(letters).to.include(`Rollout “${title}”: Begun: 3 units in 2 waves`);

		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const csv = await (await get(`/arrivals/rollouts/${id}/file`, engineer)).text();
		const lines = csv.trim().split('\r\n');
		expect(lines).to.have.length(4);
		expect(lines.slice(1).every((line) => line.includes(`,7.0.3,${VERSION},done,`))).to.equal(true);
		const pdf = Buffer.from(
			await (await get(`/arrivals/rollouts/${id}/file?as=pdf`, engineer)).arrayBuffer()
		);
		expect(pdf.subarray(0, 5).toString()).to.equal('%PDF-');
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect((await get(`/arrivals/rollouts/${id}/file`, elsewhere)).status).to.equal(404);
		const window = async (query: string, person = engineer) =>
			(await get(`/arrivals/rollouts/${id}/rows${query}`, person)).json();
		const whole = await window('');
		expect(whole.rows.map(({ unitId }: { unitId: string }) => unitId)).to.have.members(units(gateways));
		expect(await window('?offset=1')).to.deep.equal({ total: 3, offset: 1, rows: whole.rows.slice(1) });
		expect(await window('?wave=0')).to.deep.include({ total: 1 });
		expect(await window('?state=failed')).to.deep.equal({ total: 0, offset: 0, rows: [] });
		expect(await window('', elsewhere)).to.deep.include({ total: 0, rows: [] });

		const back = must(await goBack(id, ACTOR));
		expect(back.count).to.equal(3);
		must(await beginRollout(back.id, { title: 'Back', rules: rules(), units: 3, asked: false }, ACTOR));
		for (const gateway of inOrder) await comesBack(back.id, gateway);
		await untilState(back.id, 'ended');
		const versions = await unwalled()('unit').whereIn('id', units(gateways)).pluck('reported_version');
		expect(versions).to.deep.equal(['7.0.3', '7.0.3', '7.0.3']);
		expect(why(await goBack(id, ACTOR))).to.match(/nothing to take back/);
		await letGo(gateways);
	});

	it('stops when too many fail, says how they failed, and goes on only for a reason @long', async () => {
		const gateways = await some(5);
		for (const gateway of gateways) gateway.startsWith = '7.0.3';
		const id = await begun(gateways, rules({ all: 1 }, { byModel: false }));
		const failed: Gateway[] = [];
		// Half against twice of 5 %: three failures without a success are enough
		while (failed.length < 3) {
			const next = await nextOf(id, gateways);
			await comesBack(id, next);
			failed.push(next);
			expect((await itemOf(id, next)).state).to.equal('failed');
		}
		await untilState(id, 'stopped');
		const stopped = (await rolloutById(id))!;
		expect(stopped.words).to.equal('Stopped: 3 of 3 failed, which is more than the 5 % that are allowed.');
		expect(stopped).to.include({ failed: 3, underWay: 0, done: 0 });
		expect((await failedAlike(id)).map(({ units: count, words }) => [count, words])).to.deep.equal([
			[3, 'The unit came back with the version that it ran before.']
		]);
		await turn(id);
		expect((await rolloutById(id))!.underWay).to.equal(0);
		expect(why(await goOnWithRollout(id, ACTOR))).to.match(/Too many failed. Say why/);
		for (const gateway of gateways) gateway.startsWith = null;
		must(await goOnWithRollout(id, BECAUSE()));
		for (let left = 2; left > 0; left--) await comesBack(id, await nextOf(id, gateways));
		await untilState(id, 'ended');
		expect((await rolloutById(id))!).to.include({ failed: 3, done: 2 });
		await letGo(gateways);
	});

	it('sends what is due to many, and brings it back', async () => {
		const gateway = await online();
		const { unit } = gateway;
		await readAnew(gateway);
		await renamed(unit, 'new-name');
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		const drafted = must(await draftRollout({ kind: 'due', whom: { units: [unit.unitId] } }, ACTOR));
		const look = must(await lookAtRollout(drafted.id, ACTOR));
		await onChange(['work'], async () => (await workById(look.id))!.state === 'done');
		const [told] = await shownAlike(look.id, null);
		expect(told!.shown).to.include('new-name');
		expect(told!.things.map(({ unitId }) => unitId)).to.deep.equal([unit.unitId]);
		must(await beginRollout(drafted.id, { title: 'Due', rules: rules(), units: 1, asked: false }, ACTOR));
		await until(drafted.id, async () => (await itemOf(drafted.id, gateway)).state === 'under way');
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilState(drafted.id, 'ended');
		expect(gateway.runs).to.include('new-name');
		expect(why(await lookAtRollout(drafted.id, ACTOR))).to.include('not planned any more');
		const back = must(await goBack(drafted.id, ACTOR));
		expect(await lookAtRollout(back.id, ACTOR)).to.include({ ok: true });
		await readAnew(gateway);
		must(await beginRollout(back.id, { title: 'Back', rules: rules(), units: 1, asked: false }, ACTOR));
		await until(back.id, async () => (await itemOf(back.id, gateway)).state !== 'waiting');
		expect(await itemOf(back.id, gateway)).to.include({ state: 'under way' });
		await onChange(['sends'], async () => (await sendsOf(unit.unitId))[0]!.send.state === 'committed');
		await gateway.dial();
		await untilState(back.id, 'ended');
		expect(gateway.runs).to.not.include('new-name');
		await gateway.call!.end();
	});

	it('is begun by those who may send to all of its units, once, and as it was looked at', async () => {
		const gateways = await some(2);
		const draft = (actor: Actor, whom: readonly Gateway[] = gateways) =>
			draftRollout({ kind: 'firmware', whom: { units: units(whom) }, wanted: VERSION }, actor);
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(why(await doneBy(technician, (actor) => draft(actor)))).to.match(/You may not send to units/);
		expect(why(await draft(ACTOR, []))).to.equal('None of these units is online.');
		const behind = { behind: ['values'], profileId: uuid(), customers: null } as const;
		expect(why(await draftRollout({ kind: 'due', whom: behind }, ACTOR))).to.equal(
			'No unit that is online is behind what is released and planned.'
		);
		expect(
			why(await draftRollout({ kind: 'firmware', whom: { units: units(gateways) }, wanted: '7.0.3' }, ACTOR))
		).to.equal('Nothing is to be done. 2 units: it runs 7.0.3 already.');
		const older = await planned(gateways, '6.5.0');
		expect(
			why(await beginRollout(older, { title: 'Older', rules: rules(), units: 2, asked: false }, ACTOR))
		).to.equal('2 units would get an older firmware. Say why.');
		const id = await planned(gateways);
		const begin = (count: number, actor = ACTOR) =>
			beginRollout(id, { title: 'A test', rules: rules(), units: count, asked: false }, actor);
		expect(why(await begin(3))).to.match(/have changed since you looked/);
		expect(why(await doneBy(technician, (actor) => begin(2, actor)))).to.match(
			/may not send to|no such rollout/
		);
		must(await leaveOut(id, [gateways[0]!.unit.unitId], ACTOR));
		must(await begin(1));
		expect(why(await begin(1))).to.equal('This rollout has begun already.');
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect(why(await doneBy(elsewhere, (actor) => pauseRollout(id, actor)))).to.match(/no such rollout/);
		must(await cancelRollout(id, ACTOR));
		const thrown = await planned(gateways);
		must(await cancelRollout(thrown, ACTOR));
		expect(await rolloutById(thrown)).to.equal(undefined);
		await letGo(gateways);
	});
});
