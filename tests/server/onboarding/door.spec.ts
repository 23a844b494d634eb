import { expect } from 'chai';
import { runAs } from '../../../src/lib/server/database';
import { callersAtDoor, turnedAway } from '../../../src/lib/server/door';
import { claimBatch } from '../../../src/lib/server/intake';
import { bindUnit, swapUnit, unbindUnit } from '../../../src/lib/server/binding';
import {
	ACTOR,
	answerOf,
	boundUnit,
	customerId,
	invoke,
	lineOf,
	newLabel,
	newPerson,
	newUnit,
	openPosition,
	post,
	unwalled
} from '../making';

const customer = 'Southfold Physio';
const seen = async (serial: string) =>
	(await callersAtDoor(await customerId(customer), 1000)).find((caller) => caller.serial === serial);

describe('callers at the door', () => {
	it('are shown where they most likely belong: where their batch went, and when', async () => {
		const labels = [newLabel(), newLabel()] as const;
		const act = await claimBatch(await customerId(customer), labels.map(lineOf).join('\n'), ACTOR);
		if (!act.ok) throw new Error(act.problem);
		const [here, there] = [await openPosition('gateway', customer), await openPosition('gateway', customer)];
		await bindUnit(here, act.done.rows[0]!.unitId!, ACTOR);
		// A second place at the site where the first of the batch went
		const { rows } = await unwalled().raw(
			`insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), site_id, customer_id, 'gw-2', role_id, profile_id, values from position where id = ? returning id`,
			[here]
		);
		await unwalled().raw(
			`update site set appointment_at = now() + interval '2 hours 5 minutes' where id in (select site_id from position where id = any(?::uuid[]))`,
			[[here, there]]
		);
		expect((await invoke('get-bootstrapping-data', labels[1])).status).to.equal(404);
		const caller = await seen(labels[1].serial);
		expect(caller).to.include({ reason: 'unbound', outOfService: false });
		expect(caller!.likely).to.include({
			positionId: rows[0].id,
			why: 'another unit of its batch is bound there; its appointment is in 2 hours'
		});
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		const answer = await post(
			'/arrivals?/bind',
			{ unit: caller!.unitId!, position: caller!.likely!.positionId },
			{},
			coordinator
		).then(answerOf);
		expect(answer.type).to.equal('success');
		expect(await seen(labels[1].serial)).to.equal(undefined);
		expect((await invoke('get-bootstrapping-data', labels[1])).status).to.equal(200);
	});

	it('are turned away and stay away, until somebody lets them ask again', async () => {
		const unit = await newUnit('gateway', customer);
		await invoke('get-bootstrapping-data', unit);
		const { id } = (await seen(unit.serial))!;
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const send = (action: string, as: Awaited<ReturnType<typeof newPerson>>, caller = id) =>
			post(`/arrivals?/${action}`, { caller }, {}, as).then(answerOf);
		expect((await send('away', stranger)).type).to.equal('failure');
		const coordinator = await newPerson({ [customer]: 'coordinator' });
		expect((await send('away', coordinator)).type).to.equal('success');
		expect((await send('away', coordinator)).data!.problem).to.match(/somebody has just done it/);
		await invoke('get-bootstrapping-data', unit);
		expect(await seen(unit.serial)).to.equal(undefined);
		const away = (await turnedAway(await customerId(customer))).find((one) => one.id === id)!;
		expect(away).to.include({ serial: unit.serial, calls: 2 });
		// Bound and unbound again, it is shown once more: binding let it in
		const place = await openPosition('gateway', customer);
		await bindUnit(place, unit.unitId, ACTOR);
		await unbindUnit(place, ACTOR);
		expect((await seen(unit.serial))!.calls).to.equal(2);
		expect((await send('away', coordinator)).type).to.equal('success');
		expect((await send('ask', coordinator)).type).to.equal('success');
		expect((await seen(unit.serial))!.calls).to.equal(2);
		const acts = await unwalled()('ledger_entry')
			.where({ subject_kind: 'caller', subject_id: id })
			.orderBy('id')
			.pluck('act');
		expect(acts).to.deep.equal(['turn away', 'turn away', 'let ask again']);
		for (const caller of ['', 'x', '1; drop table caller', '9'.repeat(30)])
			expect((await send('away', coordinator, caller)).type, caller).to.equal('failure');
	});

	it('that nobody claimed are turned away by administrators only', async () => {
		const label = newLabel();
		await invoke('get-bootstrapping-data', label);
		const { id } = await unwalled()('caller').where({ serial: label.serial }).first('id');
		const engineer = await newPerson({ [customer]: 'engineer' });
		const send = (as: Awaited<ReturnType<typeof newPerson>>) =>
			post('/?/away', { caller: String(id) }, {}, as).then(answerOf);
		expect((await send(engineer)).type).to.equal('failure');
		expect((await send(await newPerson('administrator'))).type).to.equal('success');
	});

	it('that were swapped out are told apart from those that wait for a position', async () => {
		const old = await boundUnit('gateway', customer);
		await swapUnit(old.positionId, (await newUnit('gateway', customer)).unitId, { ...ACTOR, reason: 'dead' });
		await invoke('get-bootstrapping-data', old);
		expect(await seen(old.serial)).to.include({ outOfService: true, likely: null });
	});

	it('show a person nothing of places they may not see', async () => {
		const unit = await newUnit('gateway', customer);
		await openPosition('gateway', customer);
		await invoke('get-bootstrapping-data', unit);
		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const shown = await runAs({ kind: 'person', personId: stranger.id }, () => callersAtDoor(null, 1000));
		expect(
			shown.filter(({ serial, likely }) => serial === unit.serial || likely?.siteName.startsWith('Test site'))
		).to.deep.equal([]);
	});
});
