import { expect } from 'chai';
import {
	beginRollout,
	cancelRollout,
	doNow,
	draftRollout,
	goOnWithRollout,
	itemsOfRollout,
	leaveOut,
	pauseRollout,
	rolloutById
} from '../../../src/lib/server/rollout';
import { flashUnit } from '../../../src/lib/server/send';
import { saveWindowRule } from '../../../src/lib/server/windows';
import { NO_RULE, openSpans, windowOf } from '../../../src/core/windows';
import { ACTOR, doneBy, newPerson, unwalled } from '../making';
import { BECAUSE, untilLost, type Gateway, imagesOf } from '../gateway';
import { must, why } from '../profile/profile-making';
import {
	begun,
	rules,
	until,
	comesBack,
	untilStates,
	turn,
	itemOf,
	untilState,
	letGo,
	statesOf,
	planned,
	nextOf,
	units,
	some,
	VERSION
} from './rollout-making';

describe('a rollout that is held up', () => {
	before(() => imagesOf('okapira-og', ['6.5.0', '6.8.2', '7.0.3', VERSION]));

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

	it('goes through two windows, begins nothing that would not end inside one, and ends what a closed one finds under way @long', async () => {
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

	it('is taken up where it was after its process was killed, by one process at a time @long', async () => {
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
