import { expect } from 'chai';
import {
	pinVersion,
	searchArchive,
	versionsOf,
	maskedTextOf,
	wholeTextOf
} from '../../src/lib/server/archive';
import { BOOTSTRAP, runAs } from '../../src/lib/server/database';
import {
	behindByDay,
	behindByProfile,
	behindUnits,
	countWhoIsBehind,
	lookWhoIsBehind,
	findingsOf
} from '../../src/lib/server/drift';
import { behind, BECAUSE, online, readAnew, send, typed, untilSend } from './gateway';
import { doneBy, newPerson, unwalled } from './making';
import { must, why } from './profile-making';

const MTU = (text: string) => `${text}tweak-note "left by the night shift";\n`;

describe('the archive', () => {
	it('keeps what a unit runs once, however often it is read, and says how each version came about', async () => {
		const gateway = await online();
		const { unitId } = gateway.unit;
		await readAnew(gateway);
		expect((await versionsOf(unitId)).map(({ number, how }) => [number, how])).to.deep.equal([[1, 'run']]);
		const first = gateway.runs;
		typed(gateway, MTU);
		await readAnew(gateway);
		await readAnew(gateway);
		typed(gateway, () => first);
		await readAnew(gateway);
		expect((await versionsOf(unitId)).map(({ number, how, byWhom }) => [number, how, byWhom])).to.deep.equal([
			[3, 'outside', ''],
			[2, 'outside', ''],
			[1, 'run', '']
		]);
		const [two, three] = await Promise.all([2, 3].map((number) => wholeTextOf(unwalled(), unitId, number)));
		expect(two!.replace('tweak-note "left by the night shift";\n', '')).to.equal(three);
		expect(two).to.not.equal(three);
	});

	it('holds no secret in what it shows', async () => {
		const gateway = await online();
		typed(gateway, (text) => `${text}vpn-secret "hush hush";\n`);
		await readAnew(gateway);
		const { unitId } = gateway.unit;
		const masked = (await maskedTextOf(unwalled(), unitId, 2))!;
		expect(masked).to.include('vpn-secret ••••••;');
		const stored = JSON.stringify([
			await unwalled()('archive_version').where({ unit_id: unitId }),
			await unwalled()('archive_words').where({ unit_id: unitId }),
			await unwalled()('finding').where({ unit_id: unitId })
		]);
		expect(stored).to.include('sealed:').and.not.include('hush');
		expect(await wholeTextOf(unwalled(), unitId, 2)).to.include('vpn-secret "hush hush";');
		// Another secret is another version, and another finding
		const [before] = await findingsOf(unitId);
		typed(gateway, (text) => text.replace('hush hush', 'shout'));
		await readAnew(gateway);
		expect(await versionsOf(unitId)).to.have.lengthOf(3);
		const [after, ...more] = await findingsOf(unitId);
		expect(more).to.deep.equal([]);
		expect(after).to.deep.include({ touches: 'security', runs: 'vpn-secret ••••••;' });
		expect(after!.id).to.not.equal(before!.id);
	});

	it('finds who has an address, now or at any time, behind the walls', async () => {
		const gateway = await online();
		const address = `198.51.100.${1 + (Date.now() % 250)}`;
		const first = gateway.runs;
		typed(gateway, (text) => `${text}old-collector ${address};\n`);
		await readAnew(gateway);
		const found = async (everything: boolean, customers: readonly string[] | null = null) =>
			(await searchArchive(`old-collector ${address}`, { customers, everything })).versions.filter(
				({ unitId }) => unitId === gateway.unit.unitId
			);
		expect(await found(false)).to.have.lengthOf(1);
		expect((await found(false))[0]!.lines[0]!.text).to.equal(`old-collector ${address};`);
		typed(gateway, () => first);
		await readAnew(gateway);
		expect(await found(false)).to.deep.equal([]);
		expect(await found(true)).to.have.lengthOf(1);
		const stranger = await newPerson({ 'Pippin & Loaf': 'engineer' });
		expect(await doneBy(stranger, () => found(true))).to.deep.equal([]);
	});

	it('pins a version for those who may, with a reason', async () => {
		const gateway = await online();
		await readAnew(gateway);
		const [version] = await versionsOf(gateway.unit.unitId);
		const reader = await newPerson({ 'Marlstone Veterinary': 'auditor' });
		expect(why(await doneBy(reader, (actor) => pinVersion(version!.id, 'good', actor)))).to.match(
			/may not pin/
		);
		must(await pinVersion(version!.id, 'known good', BECAUSE()));
		expect((await versionsOf(gateway.unit.unitId))[0]).to.include({ pinReason: 'known good' });
		must(await pinVersion(version!.id, null, BECAUSE()));
		expect(why(await pinVersion(version!.id, null, BECAUSE()))).to.match(/not pinned/);
	});
});

describe('who is behind', () => {
	const due = (unitId: string) =>
		unwalled()('unit_due').where({ unit_id: unitId }).first('is_behind', 'why', 'problem');

	it('is known when a value was changed, until it was sent', async () => {
		const gateway = await behind();
		const { unitId, positionId } = gateway.unit;
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect(await due(unitId)).to.deep.equal({ is_behind: true, why: ['values'], problem: null });
		const listed = async () =>
			(await behindUnits(null, { why: 'values' })).find((one) => one.unitId === unitId);
		expect(await listed()).to.deep.include({ why: ['values'], isConnected: true });
		const { id } = await unwalled()('position').where({ id: positionId }).first('profile_id as id');
		expect((await behindByProfile(null, id))[0]!.byValues).to.be.at.least(1);
		// Over time: the last count of a day stays
		const customer = (await unwalled()('position').where({ id: positionId }).first('customer_id'))
			.customer_id;
		await unwalled().raw(
			`insert into behind_on_day values (:customer, :id, current_date - 1, 9, 7, 4, 3, 2) on conflict do nothing`,
			{ customer, id }
		);
		const days = async (customers: readonly string[] | null = [customer]) => {
			await runAs(BOOTSTRAP, countWhoIsBehind);
			return behindByDay(customers, id);
		};
		const [yesterday, today] = await days();
		expect(yesterday).to.include({ units: 9, behind: 7, revision: 4, values: 3, firmware: 2 });
		expect(today).to.include({ day: yesterday!.day + 1 });
		expect(today!.values).to.be.at.least(1);
		expect(await days()).to.have.length(2);
		const elsewhere = await newPerson({ 'Southfold Physio': 'engineer' });
		expect(await doneBy(elsewhere, () => behindByDay(null, id))).to.deep.equal([]);
		await send(gateway);
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect(await due(unitId)).to.deep.equal({ is_behind: false, why: [], problem: null });
		expect(await listed()).to.equal(undefined);
	});

	it('says what keeps it from being known', async () => {
		const gateway = await online();
		const { unitId, positionId } = gateway.unit;
		await unwalled()('position')
			.where({ id: positionId })
			.update({ values: unwalled().raw(`values - 'hostname'`) });
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect((await due(unitId)).is_behind).to.equal(false);
		expect((await due(unitId)).problem).to.match(/hostname/);
	});
});
