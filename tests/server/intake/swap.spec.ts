import { expect } from 'chai';
import { checkPhrase } from '../../../src/core/onboarding';
import { unboundUnits } from '../../../src/lib/server/intake';
import { bindUnit, phonePairs, returnToService, swapUnit } from '../../../src/lib/server/binding';
import type { Actor } from '../../../src/lib/server/ledger';
import {
	ACTOR,
	answerOf,
	asOwner,
	boundUnit,
	customerId,
	doneBy,
	get,
	invoke,
	newPerson,
	newUnit,
	openPosition,
	post,
	refusalOf,
	report,
	runOf,
	unwalled
} from '../making';

const withReason = (): Actor => ({ ...ACTOR, reason: 'does not start' });
const why = (act: { ok: boolean; problem?: string }) => (act.ok ? 'done' : act.problem);

describe('a swap', () => {
	it('gives the position to another unit in one act; the old one gets nothing any more, and the record shows both', async () => {
		const old = await boundUnit();
		await invoke('get-bootstrapping-data', old);
		await report(old, 'bootstrap-complete', {
			'ssh-host-keys': { 'ssh-host-key': [{ algorithm: 'ssh-ed25519', 'key-data': `AAAA${old.serial}` }] }
		});
		const before = await unwalled()('position').where({ id: old.positionId }).first();
		const unit = await newUnit();
		const act = await swapUnit(old.positionId, unit.unitId, withReason());
		if (!act.ok) throw new Error(act.problem);
		expect(await runOf(old.runId)).to.include({ outcome: 'cancelled' });
		expect(await runOf(act.done.runId)).to.include({
			outcome: 'open',
			step: 'bound',
			number: 2,
			unit_id: unit.unitId
		});
		expect(await unwalled()('position').where({ id: old.positionId }).first()).to.deep.equal(before);
		expect(await unwalled()('unit').where({ id: old.unitId }).first()).to.include({
			out_of_service_why: 'does not start',
			replaced_by: unit.unitId
		});
		expect(await unwalled()('unit_host_key').where({ unit_id: old.unitId })).to.deep.equal([]);
		expect((await invoke('get-bootstrapping-data', old)).status, 'the old one').to.equal(404);
		expect((await invoke('get-bootstrapping-data', unit)).status, 'the new one').to.equal(200);
		const entries = await unwalled()('ledger_entry')
			.whereIn('subject_id', [old.unitId, unit.unitId])
			.whereIn('act', ['bind', 'swap'])
			.orderBy('id');
		expect(entries.map(({ act, subject_id, reason }) => [act, subject_id, reason])).to.deep.equal([
			['bind', old.unitId, null],
			['bind', unit.unitId, 'does not start'],
			['swap', old.unitId, 'does not start']
		]);
		const [page, former] = await Promise.all(
			[unit, old].map(async ({ unitId }) => (await get(`/units/${unitId}`)).text())
		);
		expect(page).to.contain('It took over from');
		expect(former).to.contain('Out of service').and.contain('does not start');
	});

	it('changes nothing when the other unit does not suit, is taken, or nobody says why', async () => {
		const [old, taken, point] = [await boundUnit(), await boundUnit(), await newUnit('access-point')];
		expect(why(await swapUnit(old.positionId, point.unitId, withReason()))).to.match(
			/cannot serve as gateway/
		);
		expect(why(await swapUnit(old.positionId, taken.unitId, withReason()))).to.match(/already bound/);
		expect(why(await swapUnit(old.positionId, old.unitId, withReason()))).to.match(/the one that is there/);
		expect(why(await swapUnit(old.positionId, (await newUnit()).unitId, ACTOR))).to.match(/Say why/);
		expect(why(await swapUnit(await openPosition(), point.unitId, withReason()))).to.match(
			/No unit is bound/
		);
		const [auditor, spare] = [await newPerson({ 'Marlstone Veterinary': 'auditor' }), await newUnit()];
		const tried = await doneBy(auditor, (actor) =>
			swapUnit(old.positionId, spare.unitId, { ...actor, reason: 'does not start' })
		);
		expect(why(tried)).to.match(/may not swap/);
		expect(await unwalled()('binding').where({ position_id: old.positionId }).first()).to.include({
			unit_id: old.unitId
		});
		expect(await runOf(old.runId)).to.include({ outcome: 'open' });
		expect((await unwalled()('unit').where({ id: old.unitId }).first()).out_of_service_at).to.equal(null);
	});

	it('keeps the old unit from being bound until it is put back; the database holds that too', async () => {
		const old = await boundUnit();
		const unit = await newUnit();
		await swapUnit(old.positionId, unit.unitId, withReason());
		const listed = async () => (await unboundUnits(null, 10_000)).some(({ id }) => id === old.unitId);
		expect(await listed()).to.equal(false);
		expect(why(await bindUnit(await openPosition(), old.unitId, ACTOR))).to.match(/out of service/);
		expect(
			await refusalOf(
				asOwner(`update unit set out_of_service_at = now(), out_of_service_why = 'x' where id = $1`, [
					unit.unitId
				])
			)
		).to.match(/that is bound is in service/);
		expect(why(await returnToService(unit.unitId, ACTOR))).to.match(/is in service/);
		expect(why(await returnToService(old.unitId, ACTOR))).to.equal('done');
		expect(await listed()).to.equal(true);
		expect(why(await bindUnit(await openPosition(), old.unitId, ACTOR))).to.equal('done');
	});

	it('is asked about again on the page: why, and who it is', async () => {
		const old = await boundUnit();
		const unit = await newUnit();
		const { site_id } = await unwalled()('position').where({ id: old.positionId }).first('site_id');
		const person = await newPerson('administrator');
		const swap = (more: Record<string, string>) =>
			post(
				`/sites/${site_id}?/swap`,
				{ position: old.positionId, unit: unit.unitId, ...more },
				{},
				person
			).then(answerOf);
		const asked = await swap({});
		expect(asked.data!.confirm).to.include({ wantsReason: true });
		expect((await swap({ reason: 'struck by lightning' })).type).to.equal('success');
	});
});

describe('binding by telephone', () => {
	it('finds the pair that was spoken of, among what the person may see, and says the phrase', async () => {
		const unit = await newUnit('gateway', 'Southfold Physio');
		const positionId = await openPosition('gateway', 'Southfold Physio');
		const { name } = await unwalled()('site')
			.whereIn('id', unwalled()('position').where({ id: positionId }).select('site_id'))
			.first('name');
		const number = name.split(' ').at(-1) as string;
		const heard = `${unit.serial.slice(-5).toLowerCase()} ${number}`;
		const customer = await customerId('Southfold Physio');
		const [first] = await phonePairs(heard, customer, Date.now());
		expect([first?.unit.id, first?.position.id, first?.unheard]).to.deep.equal([unit.unitId, positionId, []]);
		// Read aloud with zeros as letters
		const [again] = await phonePairs(heard.replaceAll('0', 'o'), customer, Date.now());
		expect(again?.unit.id).to.equal(unit.unitId);

		const stranger = await newPerson({ 'Pippin & Loaf': 'coordinator' });
		const page = await (await get(`/phone?q=${encodeURIComponent(heard)}`, stranger)).text();
		// What was typed stands there again; of the unit and the place nothing does
		for (const one of [unit.unitId, unit.mac, positionId, name]) expect(page).to.not.contain(one);
		const coordinator = await newPerson({ 'Southfold Physio': 'coordinator' });
		const send = (action: string, fields: Record<string, string>) =>
			post(`/phone?/${action}`, fields, {}, coordinator).then(answerOf);
		const pair = { unit: unit.unitId, position: positionId };
		const { data } = await send('bind', pair);
		expect(JSON.stringify(data)).to.contain(checkPhrase(unit.serial, positionId));
		expect((await send('bind', pair)).data!.problem).to.match(/already has a unit/);
		expect((await send('undo', { position: positionId })).data!.said).to.match(/Undone/);
		expect(await unwalled()('binding').where({ position_id: positionId })).to.have.lengthOf(0);
	});

	it('finds the place among hundreds that share a word with it', async () => {
		const unit = await newUnit('gateway', 'Southfold Physio');
		const positionId = await openPosition('gateway', 'Southfold Physio');
		const customer = await customerId('Southfold Physio');
		const { rows } = await unwalled().raw(
			`with named as (
				update site set name = 'Crowded Zinnia ' || right(id::text, 6) where id in (select site_id from position where id = :position)
			), crowd as (
				insert into site (id, customer_id, name, time_zone, uplink, appointment_at)
				select gen_random_uuid(), :customer, 'Crowded ' || n, 'Pacific/Auckland', 'fibre', now() from generate_series(1, 400) n
				returning id, customer_id
			)
			insert into position (id, site_id, customer_id, name, role_id, profile_id)
			select gen_random_uuid(), crowd.id, crowd.customer_id, 'gw-1', profile.role_id, profile.id
			from crowd, profile where profile.name = 'Clinic gateway' returning id`,
			{ position: positionId, customer }
		);
		const [first] = await phonePairs(`crowded zinnia ${unit.serial.slice(-5)}`, customer, Date.now());
		await unwalled()('position')
			.whereIn(
				'id',
				(rows as { id: string }[]).map(({ id }) => id)
			)
			.delete();
		await unwalled()('site').where('name', '~', '^Crowded [0-9]+$').delete();
		expect([first?.position.id, first?.unit.id, first?.sure]).to.deep.equal([positionId, unit.unitId, true]);
	});

	it('is not undone by one key once the unit has called', async () => {
		const bound = await boundUnit();
		await invoke('get-bootstrapping-data', bound);
		const answer = await post('/phone?/undo', { position: bound.positionId }).then(answerOf);
		expect(answer.data!.problem).to.match(/has called already/);
	});

	it('takes any rubbish that is typed', async () => {
		for (const heard of [
			'%',
			"'; drop table unit; --",
			'\u0000',
			'\\',
			'_'.repeat(300),
			'😀 \u202e',
			'….....'
		])
			expect((await get(`/phone?q=${encodeURIComponent(heard)}`)).status, heard).to.be.oneOf([200, 400]);
	});
});
