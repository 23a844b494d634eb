import { expect } from 'chai';
import { USUAL_RULES, type ItemState, type RolloutRules } from '../../src/core/rollout';
import { BOOTSTRAP, runAs } from '../../src/lib/server/database';
import { lookWhoIsBehind } from '../../src/lib/server/drift';
import {
	advance,
	beginRollout,
	cancelRollout,
	doNow,
	draftRollout,
	failedAlike,
	goBack,
	goOnWithRollout,
	itemsOfRollout,
	leaveOut,
	pauseRollout,
	rolloutById,
	tellOfRollouts
} from '../../src/lib/server/rollout';
import { flashesOf, flashUnit, sendsOf } from '../../src/lib/server/send';
import { saveWindowRule } from '../../src/lib/server/windows';
import type { Actor } from '../../src/lib/server/ledger';
import { NO_RULE, openSpans, windowOf } from '../../src/core/windows';
import { ACTOR, doneBy, get, newPerson, unwalled } from './making';
import { onChange } from './dialling';
import {
	BECAUSE,
	online,
	readAnew,
	renamed,
	timePasses,
	untilLost,
	untilSend,
	type Gateway,
	imagesOf
} from './gateway';
import { must, why } from './profile-making';

const VERSION = '7.9.0';
const rules = (
	given: Partial<RolloutRules['limits']> = {},
	stop: Partial<RolloutRules['stop']> = {}
): RolloutRules => ({
	...USUAL_RULES,
	limits: { ...USUAL_RULES.limits, ...given },
	stop: { ...USUAL_RULES.stop, ...stop }
});
const units = (gateways: readonly Gateway[]) => gateways.map(({ unit }) => unit.unitId);
const some = async (count: number): Promise<Gateway[]> => {
	const made: Gateway[] = [];
	for (let at = 0; at < count; at++) made.push(await online());
	return made;
};
async function planned(gateways: readonly Gateway[], wanted = VERSION): Promise<string> {
	const drafted = must(
		await draftRollout({ kind: 'firmware', whom: { units: units(gateways) }, wanted }, ACTOR)
	);
	expect(drafted.count).to.equal(gateways.length);
	return drafted.id;
}
async function begun(gateways: readonly Gateway[], with_: RolloutRules = rules()): Promise<string> {
	const id = await planned(gateways);
	must(
		await beginRollout(id, { title: 'A test', rules: with_, units: gateways.length, asked: false }, ACTOR)
	);
	return id;
}
const itemOf = async (id: string, { unit }: Gateway) =>
	(await itemsOfRollout(id)).find(({ unitId }) => unitId === unit.unitId)!;
const statesOf = async (id: string, gateways: readonly Gateway[]): Promise<ItemState[]> => {
	const items = await itemsOfRollout(id);
	return gateways.map(({ unit }) => items.find(({ unitId }) => unitId === unit.unitId)!.state);
};
const turn = (id: string, now?: number) => runAs(BOOTSTRAP, () => advance(id, now));
const lettersTo = async (): Promise<string[]> => {
	const { email } = await unwalled()('person').where({ id: ACTOR.personId! }).first('email');
	return unwalled()('mail').where({ to_address: email }).pluck('subject');
};
const until = (id: string, holds: () => Promise<boolean>) =>
	onChange(['rollouts', 'sends'], async () => {
		if (await holds()) return true;
		await turn(id);
		return holds();
	});
const untilStates = (id: string, gateways: readonly Gateway[], wanted: readonly ItemState[]) =>
	until(id, async () => JSON.stringify(await statesOf(id, gateways)) === JSON.stringify(wanted));
const untilState = (id: string, state: string) =>
	until(id, async () => (await rolloutById(id))!.state === state);
/** The unit installs what it fetched, and comes back with what it starts, over each step of its way. */
async function comesBack(id: string, gateway: Gateway): Promise<void> {
	const { unitId } = gateway.unit;
	await until(id, async () => (await flashesOf(unitId))[0]?.endedAt === null);
	for (let steps = (await flashesOf(unitId))[0]!.flash.path.length; steps > 0; steps--) {
		await untilLost(unitId);
		await gateway.dial();
		if (gateway.startsWith === null) continue;
		await timePasses(unitId);
		break;
	}
	await until(id, async () => (await itemOf(id, gateway)).endedAt !== null);
}
/** The one that is under way. */
async function nextOf(id: string, gateways: readonly Gateway[]): Promise<Gateway> {
	const under = async () => (await itemsOfRollout(id, { state: 'under way' }))[0];
	await until(id, async () => (await under()) !== undefined);
	const { unitId } = (await under())!;
	return gateways.find(({ unit }) => unit.unitId === unitId)!;
}
const letGo = (gateways: readonly Gateway[]) => Promise.all(gateways.map(({ call }) => call!.end()));

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
		expect(letters.filter((one) => one.startsWith('Rollout “A test”: Over'))).to.have.length(1);
		expect(letters).to.include('Rollout “A test”: Begun: 3 units in 2 waves');

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

	it('is paused, has units left out, and waits for what else is done at a unit', async () => {
		const gateways = await some(3);
		const [first, second, third] = gateways as [Gateway, Gateway, Gateway];
		// Somebody flashes one of them by hand
		must(await flashUnit(second.unit.unitId, { to: VERSION, asked: true }, BECAUSE()));
		const id = await begun(gateways, { ...rules({ all: 1 }), waves: { growth: 4, sizes: [3] } });
		await until(id, async () => (await rolloutById(id))!.underWay === 1);
		const [under] = (await itemsOfRollout(id)).filter(({ state }) => state === 'under way');
		const [one, other] = under!.unitId === first.unit.unitId ? [first, third] : [third, first];
		must(await pauseRollout(id, ACTOR));
		expect(why(await pauseRollout(id, ACTOR))).to.match(/not going on/);
		must(await leaveOut(id, [other.unit.unitId], ACTOR));
		expect(why(await leaveOut(id, [other.unit.unitId], ACTOR))).to.match(/does not wait any more/);
		await comesBack(id, one);
		await untilStates(id, [one, second, other], ['done', 'waiting', 'left out']);
		must(await goOnWithRollout(id, ACTOR));
		await turn(id);
		// It is at another's hands until it came back
		expect((await itemOf(id, second)).state).to.equal('waiting');
		await untilLost(second.unit.unitId);
		await second.dial();
		await untilState(id, 'ended');
		expect(await itemOf(id, second)).to.include({ state: 'left out', words: `It runs ${VERSION} already.` });
		expect(why(await cancelRollout(id, ACTOR))).to.equal('This rollout is over.');
		await letGo(gateways);
	});

	it('keeps to windows, but for a unit that somebody has a reason for; what is ended leaves the rest as it was', async () => {
		const gateways = await some(2);
		const [first, second] = gateways as [Gateway, Gateway];
		for (const { unit } of gateways) {
			const { site_id: siteId, customer_id: customerId } = await unwalled()('position')
				.where({ id: unit.positionId })
				.first();
			const never = { ...NO_RULE, hours: [] };
			must(await saveWindowRule({ siteId, customerId, patternId: null }, { rule: never, edit: 0 }, ACTOR));
		}
		const id = await begun(gateways);
		await turn(id);
		expect(await statesOf(id, gateways)).to.deep.equal(['waiting', 'waiting']);
		expect(why(await doNow(id, first.unit.unitId, ACTOR))).to.match(/Say why/);
		must(await doNow(id, first.unit.unitId, BECAUSE()));
		await comesBack(id, first);
		await untilStates(id, gateways, ['done', 'waiting']);
		must(await cancelRollout(id, ACTOR));
		await untilState(id, 'ended');
		expect(await itemOf(id, second)).to.include({
			state: 'left out',
			words: 'The rollout was ended before its turn.'
		});
		expect((await unwalled()('flash').where({ unit_id: second.unit.unitId })).length).to.equal(0);
		await letGo(gateways);
	});

	it('goes through two windows, begins nothing that would not end inside one, and ends what a closed one finds under way', async () => {
		const gateways = await some(2);
		const rule = { ...NO_RULE, hours: [{ days: [1, 2, 3, 4, 5, 6, 7], from: '01:00', to: '01:10' }] };
		let zone = '';
		for (const { unit } of gateways) {
			const { site_id: siteId, customer_id: customerId } = await unwalled()('position')
				.where({ id: unit.positionId })
				.first();
			must(await saveWindowRule({ siteId, customerId, patternId: null }, { rule, edit: 0 }, ACTOR));
			zone = (await unwalled()('site').where({ id: siteId }).first('time_zone')).time_zone;
		}
		const [first, second] = openSpans(
			windowOf([rule], zone),
			Date.now() + 3_600_000,
			Date.now() + 4 * 86_400_000
		);
		const id = await planned(gateways);
		// Whatever was learnt of how long it takes
		await unwalled()('rollout_item').where({ rollout_id: id }).update({ takes: '5 minutes' });
		// The clock is this test's: a reason lets what is begun by it pass the real one
		must(
			await beginRollout(id, { title: 'Nights', rules: rules({ all: 1 }), units: 2, asked: false }, BECAUSE())
		);
		await turn(id, first!.from - 1_000);
		expect((await rolloutById(id))!.underWay).to.equal(0);
		const underWay = async () => (await rolloutById(id))!.underWay;
		// Another process is at it: the turn is taken when that one is done
		const held = await unwalled().transaction();
		await held('rollout').where({ id }).forUpdate().first('id');
		let isTaken = false;
		const taken = turn(id, first!.from).then(() => (isTaken = true));
		const waits = async (): Promise<boolean> =>
			(await held.raw(`select from pg_stat_activity where pg_backend_pid() = any (pg_blocking_pids(pid))`))
				.rowCount > 0;
		while (!isTaken && !(await waits()));
		await held.commit();
		await taken;
		expect(await underWay()).to.equal(1);
		const one = await nextOf(id, gateways);
		const other = gateways.find((gateway) => gateway !== one)!;
		// The window closes while it restarts: it comes to its end all the same
		await turn(id, first!.until + 60_000);
		await comesBack(id, one);
		await turn(id, first!.from + 6 * 60_000);
		// Four minutes are left, and it takes five
		expect(await statesOf(id, [one, other])).to.deep.equal(['done', 'waiting']);
		await turn(id, second!.from + 60_000);
		expect(await underWay()).to.equal(1);
		expect(await statesOf(id, [other])).to.deep.equal(['under way']);
		await comesBack(id, other);
		await untilState(id, 'ended');
		await letGo(gateways);
	});

	it('is held up by nobody who is away, and leaves them out in the end', async () => {
		const gateways = await some(3);
		const [first, ...away] = gateways as [Gateway, Gateway, Gateway];
		for (const { call, unit } of away) {
			await call!.end();
			await untilLost(unit.unitId);
		}
		const id = await begun(gateways);
		expect((await itemOf(id, first)).wave).to.equal(0);
		await comesBack(id, first);
		await turn(id);
		expect(await statesOf(id, gateways)).to.deep.equal(['done', 'waiting', 'waiting']);
		await unwalled()('rollout')
			.where({ id })
			.update({ until: new Date(Date.now() - 1_000) });
		await untilState(id, 'ended');
		expect(await itemOf(id, away[0]!)).to.include({
			state: 'left out',
			words: 'Its turn did not come in time.'
		});
		await first.call!.end();
	});

	it('sends what is due to many, and brings it back', async () => {
		const gateway = await online();
		const { unit } = gateway;
		await readAnew(gateway);
		await renamed(unit, 'new-name');
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		const drafted = must(await draftRollout({ kind: 'due', whom: { units: [unit.unitId] } }, ACTOR));
		must(await beginRollout(drafted.id, { title: 'Due', rules: rules(), units: 1, asked: false }, ACTOR));
		await until(drafted.id, async () => (await itemOf(drafted.id, gateway)).state === 'under way');
		await untilSend(unit.unitId, 'committed');
		await gateway.dial();
		await untilState(drafted.id, 'ended');
		expect(gateway.runs).to.include('new-name');
		const back = must(await goBack(drafted.id, ACTOR));
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

	it('is paused when whoever began it may not send there any more, until somebody who may lets it go on', async () => {
		const [gateway] = (await some(1)) as [Gateway];
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		const id = await doneBy(engineer, async (actor) => {
			const drafted = must(
				await draftRollout({ kind: 'firmware', whom: { units: units([gateway]) }, wanted: VERSION }, actor)
			);
			// No window is open: nothing of it has begun
			await unwalled()('rollout_item').where({ rollout_id: drafted.id }).update({ takes: '9 days' });
			must(await beginRollout(drafted.id, { title: 'Left', rules: rules(), units: 1, asked: false }, actor));
			return drafted.id;
		});
		await unwalled()('membership').where({ person_id: engineer.id }).update({ duty: 'technician' });
		await untilState(id, 'paused');
		expect((await rolloutById(id))!.words).to.match(/may not send to all of its units any more/);
		await unwalled()('rollout_item').where({ rollout_id: id }).update({ takes: '1 minute' });
		must(await goOnWithRollout(id, ACTOR));
		await comesBack(id, gateway);
		await untilState(id, 'ended');
		expect((await rolloutById(id))!).to.include({ done: 1, personId: ACTOR.personId });
		await letGo([gateway]);
	});

	it('is taken up where it was after its process was killed, by one process at a time', async () => {
		const gateways = await some(2);
		const id = await begun(gateways, rules({ all: 1 }));
		// Several turns at once, here and in the application
		await Promise.all([turn(id), turn(id), turn(id)]);
		await until(id, async () => (await rolloutById(id))!.underWay === 1);
		expect(await unwalled()('flash').whereIn('unit_id', units(gateways))).to.have.length(1);
		const next = await nextOf(id, gateways);
		await comesBack(id, next);
		await untilStates(id, [next], ['done']);
		await until(id, async () => (await rolloutById(id))!.underWay === 1);
		const last = await nextOf(id, gateways);
		await until(
			id,
			async () => (await unwalled()('flash').where({ unit_id: last.unit.unitId })).length === 1
		);
		// As if it had been killed between claiming a unit and beginning it: what is begun already stays
		await unwalled()('rollout_item')
			.where({ rollout_id: id })
			.update({ begun_at: new Date(Date.now() - 120_000) });
		await turn(id);
		expect((await itemOf(id, last)).state).to.equal('under way');
		await comesBack(id, last);
		await untilState(id, 'ended');
		await letGo(gateways);
	});
});
