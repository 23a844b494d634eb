import { expect } from 'chai';
import { versionsOf } from '../../../src/lib/server/archive';
import { BOOTSTRAP, database, runAs } from '../../../src/lib/server/database';
import {
	acceptanceOf,
	acceptFindings,
	countWhatWasLeft,
	driftedMost,
	lookWhoIsBehind,
	driftOf,
	findingGroups,
	findingsOf,
	leaveFindings,
	unitsOfGroup
} from '../../../src/lib/server/drift';
import { shownAlike } from '../../../src/lib/server/jobs';
import { ownTextOf, removeOwn } from '../../../src/lib/server/profile';
import { lookBeforeSending, putRightAt } from '../../../src/lib/server/send';
import type { Actor } from '../../../src/lib/server/ledger';
import { onChange } from '../dialling';
import { behind, BECAUSE, online, onlineRouter, readAnew, send, typed, untilSend } from '../gateway';
import { customerId, doneBy, get, newPerson, post, unwalled } from '../making';
import { must, why } from '../profile/profile-making';

const MTU = (text: string) => `${text}tweak-note "left by the night shift";\n`;

describe('drift', () => {
	it('is found when a unit comes back, and gone once it is put right', async () => {
		const gateway = await online();
		const { unitId } = gateway.unit;
		await readAnew(gateway);
		expect(await driftOf(unitId)).to.include({ state: 'as intended', findings: 0 });
		await gateway.call!.end();
		typed(gateway, MTU);
		await gateway.dial();
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'differs');
		expect(
			await unwalled()('drift_look').where({ unit_id: unitId }).orderBy('id', 'desc').first('why')
		).to.deep.equal({ why: 'back' });
		expect(await driftOf(unitId)).to.include({ state: 'differs', findings: 1 });
		const [finding] = await findingsOf(unitId);
		expect(finding).to.deep.include({
			kind: 'extra',
			path: [],
			runs: 'tweak-note "left by the night shift";',
			touches: 'nothing of these'
		});

		await send(gateway, false, { kind: 'part', findings: [finding!.id] });
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'as intended');
		expect(await findingsOf(unitId)).to.deep.equal([]);
		expect((await versionsOf(unitId))[0]).to.include({ how: 'send', byWhom: BECAUSE().name });
	});

	it('puts right what was chosen and leaves the rest as it runs', async () => {
		const gateway = await online();
		const { unitId } = gateway.unit;
		typed(gateway, (text) => `${MTU(text)}second-tweak 2;\n`);
		await readAnew(gateway);
		const findings = await findingsOf(unitId);
		expect(findings.map(({ runs }) => runs)).to.have.members([
			'tweak-note "left by the night shift";',
			'second-tweak 2;'
		]);
		const chosen = findings.find(({ runs }) => runs === 'second-tweak 2;')!;
		await send(gateway, false, { kind: 'part', findings: [chosen.id] });
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(['drift'], async () => (await findingsOf(unitId)).length === 1);
		expect(gateway.runs).to.include('tweak-note').and.not.include('second-tweak');
		// What it should run is still the whole of it
		expect(await driftOf(unitId)).to.include({ state: 'differs' });
	});

	it('is one group at several units, and can be left until a day for a reason', async () => {
		const [one, other] = [await online(), await online()];
		const word = `night-${one.unit.serial.toLowerCase()}`;
		for (const gateway of [one, other]) {
			typed(gateway, (text) => `${text}${word} on;\n`);
			await readAnew(gateway);
		}
		const mine = async (left = false) =>
			(await findingGroups(null, { left })).filter(({ runs }) => runs === `${word} on;`);
		expect((await mine()).map(({ units, kind }) => [units, kind])).to.deep.equal([[2, 'extra']]);
		const units = await unitsOfGroup((await mine())[0]!.id);
		expect(units.map(({ serial }) => serial)).to.have.members([one.unit.serial, other.unit.serial]);
		const until = new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 10);
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const ids = units.map(({ findingId }) => findingId);
		expect(
			why(await doneBy(technician, (actor) => leaveFindings(ids, { until, why: 'test' }, actor)))
		).to.match(/may not decide/);
		must(await leaveFindings(ids, { until, why: 'The collector moves next week.' }, BECAUSE()));
		expect(await mine()).to.deep.equal([]);
		expect(await mine(true)).to.have.lengthOf(1);
		// The same finding at a customer where they only read is not theirs to count
		const same = await unwalled()('finding').where({ id: ids[0]! }).first('same', 'customer_id');
		const bakery = await customerId('Pippin & Loaf');
		await unwalled()('finding')
			.where({ id: ids[1]! })
			.update({ customer_id: bakery, left_until: null, left_reason: null });
		const mixed = await newPerson({ 'Marlstone Veterinary': 'engineer', 'Pippin & Loaf': 'auditor' });
		must(await doneBy(mixed, (actor) => leaveFindings([ids[0]!], null, actor)));
		expect(await unwalled()('finding_group').where(same!).first('units')).to.include({ units: 1 });
		await unwalled()('finding').where({ id: ids[1]! }).update({ customer_id: same!.customer_id });
		must(await leaveFindings(ids, { until, why: 'The collector moves next week.' }, BECAUSE()));
		const often = (await driftedMost(null)).find(({ runs }) => runs === `${word} on;`);
		expect(often).to.deep.include({ times: 2, units: 2, isOpen: true });
		expect(often!.hours.reduce((sum, count) => sum + count)).to.equal(2);
		// Its day is over
		await unwalled()('finding').whereIn('id', ids).update({ left_until: '2020-01-01' });
		await unwalled()('finding_group').whereNotNull('left_until').update({ left_until: '2020-01-01' });
		await runAs(BOOTSTRAP, countWhatWasLeft);
		expect(await mine()).to.have.lengthOf(1);
	});

	it('is looked at for many before it is put right: those together that are told the same', async () => {
		const [one, other, third] = [await online(), await online(), await online()];
		const word = `night-${one.unit.serial.toLowerCase()}`;
		for (const gateway of [one, other, third]) {
			typed(gateway, (text) => `${text}${word} on;\n`);
			await readAnew(gateway);
		}
		const [group] = (await findingGroups(null)).filter(({ runs }) => runs === `${word} on;`);
		const units = await unitsOfGroup(group!.id);
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		// What was put right meanwhile is left out
		await unwalled()('finding')
			.where({ unit_id: third.unit.unitId })
			.update({ ended_at: unwalled().fn.now(), ended: 'gone' });
		const asked = (as: typeof engineer) =>
			post(
				`/upkeep/findings/${group!.id}?/look`,
				new URLSearchParams(units.map(({ findingId }) => ['finding', findingId])) as never,
				{},
				as
			);
		const auditor = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		expect(await (await asked(auditor)).text()).to.include('may not send');
		const { location } = (await (await asked(engineer)).json()) as { location: string };
		const id = location.split('/').at(-1)!;
		await onChange(
			['work'],
			async () => (await unwalled()('long_work').where({ id }).first()).state !== 'under way'
		);
		const shown = (person: typeof engineer) =>
			doneBy(person, () => shownAlike(id, person === engineer ? null : []));
		const groups = await shown(engineer);
		const told = `strike ${word} on;`;
		expect(groups.map(({ count, shown: text }) => [count, text])).to.deep.equal([[2, told]]);
		expect(groups[0]!.things.map(({ unitId }) => unitId)).to.have.members([
			one.unit.unitId,
			other.unit.unitId
		]);
		expect(await unwalled()('long_work').where({ id }).first()).to.include({
			total: 2,
			done: 2,
			about_id: group!.id
		});
		const reader = await newPerson({ 'Marlstone Veterinary': 'reader' });
		const page = async (as: typeof engineer) => (await get(`/work/${id}`, as)).text();
		expect(await page(engineer)).to.include(told);
		expect(await page(reader)).to.not.include(told);
	});

	it('is told where a unit would start with something else than it runs, until it has saved that', async () => {
		const router = await onlineRouter();
		const { unitId } = router.unit;
		await readAnew(router);
		expect(await findingsOf(unitId)).to.deep.equal([]);
		const before = router.runs;
		typed(router, (text) => text.replace(/^log-to .*$/m, 'log-to 10.77.0.9'));
		router.flash.saved = before;
		await readAnew(router);
		expect((await findingsOf(unitId)).map(({ kind }) => kind).sort()).to.deep.equal(['changed', 'unsaved']);
		const unsaved = (await findingsOf(unitId)).find(({ kind }) => kind === 'unsaved')!;
		const group = (await findingGroups(null)).find(({ kind }) => kind === 'unsaved')!;
		expect(group.touches).to.equal('management');
		// What differs is put right by a send; this by saying “save”
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		const save = (actor: Actor) =>
			database().transaction((trx) =>
				putRightAt(trx, unitId, { findings: [unsaved.id], asked: false }, actor)
			);
		expect(why(await doneBy(technician, save))).to.match(/may not send/);
		must(await save(BECAUSE()));
		await onChange(['drift'], async () => (await findingsOf(unitId)).every(({ kind }) => kind !== 'unsaved'));
		expect(router.flash.saved).to.equal(null);
		expect((await findingsOf(unitId)).map(({ kind }) => kind)).to.deep.equal(['changed']);
		// What it runs is what it should, and saved: nothing is left
		await send(router, false, { kind: 'intended' });
		await untilSend(unitId, 'committed');
		await router.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(['drift'], async () => (await findingsOf(unitId)).length === 0);
	});

	it('goes back to a version that it ran before, and says first what of the plan that would undo @long', async () => {
		const gateway = await behind();
		const { unitId } = gateway.unit;
		await readAnew(gateway);
		const [old] = await versionsOf(unitId);
		await send(gateway);
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(
			['drift'],
			async () => (await driftOf(unitId))!.state === 'as intended' && (await versionsOf(unitId)).length === 2
		);
		const wanted = { kind: 'restore', version: old!.id } as const;
		const look = must(await lookBeforeSending(unitId, true, wanted));
		expect(look.undoes.map(({ kind }) => kind)).to.include('changed');
		await send(gateway, false, wanted);
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'differs');
		expect(gateway.runs).to.not.include('new-name');
	});

	it('is accepted into a value, and the rendering says what runs; nothing else changes that was not shown', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		await readAnew(gateway);
		const { values } = await unwalled()('position').where({ id: positionId }).first('values');
		const name = values.hostname as string;
		typed(gateway, (text) => text.replace(`name ${name}`, 'name named-at-night'));
		await readAnew(gateway);
		const [finding] = await findingsOf(unitId);
		const { options, problem } = must(await acceptanceOf([finding!.id]));
		expect(problem).to.equal(null);
		expect(options[0]).to.deep.include({ scope: 'position', holders: 1, others: 0 });
		expect(options[0]!.values).to.deep.equal([
			{ holder: options[0]!.values[0]!.holder, field: 'hostname', was: name, now: 'named-at-night' }
		]);
		const auditor = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(why(await doneBy(auditor, (actor) => acceptFindings([finding!.id], 'position', actor)))).to.match(
			/may not set values/
		);
		const engineer = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		must(await doneBy(engineer, (actor) => acceptFindings([finding!.id], 'position', actor)));
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'as intended');
		expect(await findingsOf(unitId)).to.deep.equal([]);
		expect((await unwalled()('position').where({ id: positionId }).first('values')).values.hostname).to.equal(
			'named-at-night'
		);
		// What would be sent now is what it runs
		expect(must(await lookBeforeSending(unitId, true)).isSame).to.equal(true);
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect(await unwalled()('unit_due').where({ unit_id: unitId }).first('is_behind')).to.deep.equal({
			is_behind: false
		});
		expect(why(await acceptFindings([finding!.id], 'position', BECAUSE()))).to.match(/no longer so/);
	});

	it('becomes a line of the position’s own where no value explains it, and can be taken away again', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		typed(gateway, (text) => text.replace('permit established;', 'permit established;\n\tpermit icmp;'));
		await readAnew(gateway);
		const [finding, ...more] = await findingsOf(unitId);
		expect(more).to.deep.equal([]);
		const { options } = must(await acceptanceOf([finding!.id]));
		expect(options.map(({ scope, values }) => [scope, values[0]!.now])).to.deep.equal([
			['own text', 'in rules from-uplink: “permit icmp”']
		]);
		expect(why(await acceptFindings([finding!.id], 'position', BECAUSE()))).to.match(/cannot be accepted/);
		must(await acceptFindings([finding!.id], 'own text', BECAUSE()));
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'as intended');
		expect(must(await lookBeforeSending(unitId, true)).isSame).to.equal(true);
		expect(await ownTextOf(positionId)).to.deep.equal(['in rules from-uplink: “permit icmp”']);
		const { own_text: kept } = await unwalled()('position').where({ id: positionId }).first('own_text');
		expect(kept).to.match(/^sealed:/);

		expect(why(await removeOwn(positionId, 0, 'something else', BECAUSE()))).to.match(
			/changed this meanwhile/
		);
		must(await removeOwn(positionId, 0, 'in rules from-uplink: “permit icmp”', BECAUSE()));
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect(await unwalled()('unit_due').where({ unit_id: unitId }).first('is_behind', 'why')).to.deep.equal({
			is_behind: true,
			why: ['values']
		});
	});

	it('is accepted where only the order is another one: the position’s own order, taken away again by hand', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		typed(gateway, (text) => text.replace(/(permit established;)\n(\s*permit ssh[^\n]*;)/, '$2\n\t$1'));
		await readAnew(gateway);
		const [finding] = await findingsOf(unitId);
		expect(finding).to.deep.include({ kind: 'order', path: ['rules from-uplink'] });
		const { options } = must(await acceptanceOf([finding!.id]));
		expect(options.map(({ scope }) => scope)).to.deep.equal(['own text']);
		must(await acceptFindings([finding!.id], 'own text', BECAUSE()));
		await onChange(['drift'], async () => (await driftOf(unitId))!.state === 'as intended');
		const [words] = await ownTextOf(positionId);
		expect(words).to.match(/^in rules from-uplink: “permit .*” (first|behind “.*”)$/);
		must(await removeOwn(positionId, 0, words!, BECAUSE()));
		expect(await ownTextOf(positionId)).to.deep.equal([]);
	});

	it('does not become the intention where the unit drifted in other places too', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		const { values } = await unwalled()('position').where({ id: positionId }).first('values');
		typed(gateway, (text) => MTU(text.replace(`name ${values.hostname}`, 'name named-by-day')));
		await readAnew(gateway);
		const named = (await findingsOf(unitId)).find(({ runs }) => runs?.includes('named-by-day'))!;
		must(await acceptFindings([named.id], 'position', BECAUSE()));
		await onChange(['drift'], async () => (await driftOf(unitId))!.findings === 1);
		expect((await findingsOf(unitId)).map(({ runs }) => runs)).to.deep.equal([
			'tweak-note "left by the night shift";'
		]);
	});
});
