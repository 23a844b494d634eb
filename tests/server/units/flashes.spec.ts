import { expect } from 'chai';
import { v7 as uuid } from 'uuid';
import { findImage, setImageState, setTarget } from '../../../src/lib/server/firmware';
import { lookWhoIsBehind } from '../../../src/lib/server/drift';
import { flashAhead, flashesOf, flashUnit, restartUnit } from '../../../src/lib/server/send';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { ACTOR, doneBy, newPerson, unwalled } from '../making';
import { onChange } from '../dialling';
import { BECAUSE, online, timePasses, untilLost, type Gateway, imagesOf } from '../gateway';
import { must, why } from '../profile/profile-making';

const flash = (gateway: Gateway, to: string) =>
	flashUnit(gateway.unit.unitId, { to, asked: true }, BECAUSE());
const last = async (gateway: Gateway) => (await flashesOf(gateway.unit.unitId))[0]!;
const until = (gateway: Gateway, holds: (one: Awaited<ReturnType<typeof last>>) => boolean) =>
	onChange(['sends'], async () => holds(await last(gateway)));
const untilState = (gateway: Gateway, state: string) => until(gateway, (one) => one.flash.state === state);
const versionOf = async ({ unit }: Gateway) =>
	(await unwalled()('unit').where({ id: unit.unitId }).first('reported_version')).reported_version;
const intendedOf = async ({ unit }: Gateway) =>
	await unwalled()('served')
		.where({ unit_id: unit.unitId })
		.orderBy('at', 'desc')
		.first('target_version', 'rendering');

describe('a change of firmware at a unit that is online', () => {
	before(() => imagesOf('okapira-og', ['6.5.0', '6.8.2', '7.0.3', '7.9.0']));

	it('fetches while nothing changes, installs, and is done when the unit came back with it', async () => {
		const gateway = await online();
		const { unit } = gateway;
		const before = await intendedOf(gateway);
		must(await flash(gateway, '7.9.0'));
		await untilState(gateway, 'installing');
		await untilLost(unit.unitId);
		const fetched = gateway.heard.find((one) => one.startsWith('bring release'))!;
		expect(fetched).to.match(/^bring release 7\.9\.0 sum [0-9a-f]{64} by http:\S+\?ticket=\S+$/);
		expect(await versionOf(gateway)).to.equal('7.0.3');
		await gateway.dial();
		await untilState(gateway, 'done');
		expect(await versionOf(gateway)).to.equal('7.9.0');
		// What it should run is what it had, with the other firmware
		expect(await intendedOf(gateway)).to.include({ target_version: '7.9.0' });
		expect((await intendedOf(gateway)).rendering).to.equal(before.rendering);
		const acts = await unwalled()('ledger_entry').where({ subject_id: unit.unitId }).pluck('act');
		expect(acts).to.include.members(['flash', 'flash ended']);
		// The right to fetch stands in no dialogue
		const said: string[] = await unwalled()('dialogue').where({ unit_id: unit.unitId }).pluck('words');
		expect(said.join('\n')).to.include('bring release 7.9.0').and.not.include('ticket=');
		expect(why(await flash(gateway, '7.9.0'))).to.match(/runs 7\.9\.0 already/);
		await gateway.call!.end();
	});

	it('goes over each step that its maker allows, and back only for a reason @long', async () => {
		const gateway = await online();
		const { unit } = gateway;
		const down = (actor = ACTOR) => flashUnit(unit.unitId, { to: '6.5.0', asked: true }, actor);
		expect(why(await down())).to.match(/older than 7\.0\.3.*Say why/);
		must(await down(BECAUSE()));
		await untilLost(unit.unitId);
		await gateway.dial();
		await untilState(gateway, 'done');
		expect(await versionOf(gateway)).to.equal('6.5.0');
		expect(await flashAhead(unit.unitId, '7.0.3')).to.deep.include({
			path: ['6.8.2', '7.0.3'],
			isBack: false,
			why: null
		});
		must(await flash(gateway, '7.0.3'));
		await untilLost(unit.unitId);
		await gateway.dial();
		await until(gateway, (one) => one.flash.at === 1 && one.flash.state !== 'waiting');
		await untilLost(unit.unitId);
		await gateway.dial();
		await untilState(gateway, 'done');
		expect(await versionOf(gateway)).to.equal('7.0.3');
		await gateway.call!.end();
	});

	it('ends as it ended: gone back, damaged, withdrawn in the middle, or taken away @long', async () => {
		const gateway = await online();
		const { unit } = gateway;
		gateway.damaged = true;
		must(await flash(gateway, '7.9.0'));
		await untilState(gateway, 'refused');
		expect((await last(gateway)).flash.refusal).to.match(/the image is damaged/);
		expect(gateway.heard).to.include('leave brought').and.not.include('switch release');
		gateway.damaged = false;
		gateway.startsWith = '7.0.3';
		must(await flash(gateway, '7.9.0'));
		expect(why(await restartUnit(unit.unitId, true, BECAUSE()))).to.match(/under way already/);
		expect(why(await flash(gateway, '7.9.0'))).to.match(/under way already/);
		await untilLost(unit.unitId);
		await gateway.dial();
		// It may still be writing, until that has had its time
		await until(gateway, (one) => one.flash.state === 'installing');
		await timePasses(unit.unitId);
		await untilState(gateway, 'gone back');
		expect(await versionOf(gateway)).to.equal('7.0.3');

		const image = (await findImage('okapira-og', '7.9.0'))!;
		const say = (edit: number, state: 'withdrawn' | 'allowed') =>
			setImageState({ image: image.id, edit, state, reason: 'Loses tunnels.', notes: '' }, ACTOR);
		// It is still on its way when it is withdrawn
		gateway.images.fetch = (_, version) => {
			gateway.images.fetched = { state: 'fetching', version, percent: 40 };
			return null;
		};
		must(await flash(gateway, '7.9.0'));
		await until(gateway, (one) => one.flash.state === 'fetching' && one.percent === 40);
		must(await say(image.edit, 'withdrawn'));
		await untilState(gateway, 'refused');
		expect((await last(gateway)).flash.refusal).to.match(/withdrawn/);
		expect(gateway.heard.filter((one) => one === 'switch release')).to.have.length(1);
		expect(why(await flash(gateway, '7.9.0'))).to.equal('Version 7.9.0 was withdrawn: Loses tunnels.');
		must(await say(image.edit + 1, 'allowed'));
		await gateway.call!.end();
	});

	it('goes on between two steps, though what began it ended long ago @long', async () => {
		const gateway = await online();
		const { unitId, positionId, runId } = gateway.unit;
		const { customer_id } = await unwalled()('unit').where({ id: unitId }).first('customer_id');
		const errand = uuid();
		await unwalled()('errand').insert({
			id: errand,
			unit_id: unitId,
			customer_id,
			kind: 'flash',
			state: 'done',
			words: 'Told to install it.',
			priority: 60,
			deadline: new Date(),
			begun_at: new Date(),
			ended_at: new Date()
		});
		// As after a kill once the first step was seen to be done
		await unwalled()('flash').insert({
			id: uuid(),
			unit_id: unitId,
			position_id: positionId,
			customer_id,
			run_id: runId,
			from_version: '6.8.2',
			path: ['7.0.3', '7.9.0'],
			at: 1,
			errand_id: errand,
			asked_by: 'a test'
		});
		await untilState(gateway, 'installing');
		await untilLost(unitId);
		await gateway.dial();
		await untilState(gateway, 'done');
		await gateway.call!.end();
	});

	it('is for those who may send there, to versions that there is a way to', async () => {
		const gateway = await online();
		const { unitId } = gateway.unit;
		const technician = await newPerson({ 'Marlstone Veterinary': 'technician' });
		expect(
			why(await doneBy(technician, (actor) => flashUnit(unitId, { to: '7.9.0', asked: true }, actor)))
		).to.match(/may not change the firmware/);
		expect(why(await flash(gateway, '1.2.3'))).to.equal('There is no image of version 1.2.3 for this model.');
		expect(await unwalled()('flash').where({ unit_id: unitId })).to.deep.equal([]);
		await gateway.call!.end();
	});
});

describe('another firmware than the profile’s', () => {
	before(() => imagesOf('okapira-og', ['6.5.0', '6.8.2', '7.0.3', '7.9.0']));

	it('counts for the innermost, makes its units fall behind, and goes back only for a reason', async () => {
		const gateway = await online();
		const { positionId, unitId } = gateway.unit;
		const { site_id: site, customer_id: customer } = await unwalled()('position')
			.where({ id: positionId })
			.first();
		const due = async () => {
			await runAs(BOOTSTRAP, lookWhoIsBehind);
			const row = await unwalled()('unit_due').where({ unit_id: unitId }).first();
			return [row.target_version, row.why.includes('firmware')];
		};
		const before = await due();
		const want = (given: object, version: string, reason = '') =>
			setTarget({ line: 'okapira-og', version, reason, ...given }, ACTOR);
		must(await want({ site }, '7.9.0'));
		expect(await due()).to.deep.equal(['7.9.0', true]);
		expect(why(await want({ position: positionId }, '6.8.2'))).to.match(/which is newer. Say why/);
		must(await want({ position: positionId }, '6.8.2', 'The new one loses tunnels here.'));
		expect(await due()).to.deep.equal(['6.8.2', true]);
		expect(why(await want({ customer }, '0.0.1'))).to.match(/no image/);
		expect(why(await want({}, '7.9.0'))).to.match(/For which/);
		await unwalled()('firmware_target')
			.where({ customer_id: customer })
			.whereIn('version', ['7.9.0', '6.8.2'])
			.delete();
		expect(await due()).to.deep.equal(before);
		await gateway.call!.end();
	});
});
