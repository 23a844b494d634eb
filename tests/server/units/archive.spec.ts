import { expect } from 'chai';
import { NO_RULES } from '../../../src/core/config';
import {
	lineOrigins,
	pinVersion,
	searchArchive,
	versionsOf,
	maskedTextOf,
	wholeTextOf,
	type Version
} from '../../../src/lib/server/archive';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import {
	behindByDay,
	behindByProfile,
	behindUnits,
	countWhoIsBehind,
	lookWhoIsBehind,
	findingsOf
} from '../../../src/lib/server/drift';
import { lastProof, proveSite } from '../../../src/lib/server/proof';
import { seal } from '../../../src/lib/server/keys';
import { answering, dialUntilEnded, onChange, readyToDial } from '../dialling';
import { behind, BECAUSE, Gateway, online, readAnew, send, typed, untilSend } from '../gateway';
import { ACTOR, customerLike, doneBy, get, newPerson, unwalled } from '../making';
import {
	field,
	freshField,
	must,
	REACH,
	releasedPart,
	releasedProfile,
	why
} from '../profile/profile-making';

const BRACED = { dialect: 'braced', rules: NO_RULES } as const;
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

	it('shows a secret of another day no more than today’s, wherever a text is shown', async () => {
		const code = freshField('gate_code');
		const noted = REACH.replace('lease;', `lease; note {{ ${code} | quoted }};`);
		const part = await releasedPart(noted, [field('hostname'), field(code, { type: { kind: 'secret' } })]);
		const {
			positions: [positionId]
		} = await releasedProfile([part.revisionId], [{ hostname: 'h1', [code]: seal('swordfish-1') }]);
		const unit = await readyToDial('gateway', {
			customer: 'Southfold Physio',
			positionId: positionId!
		});
		expect(await dialUntilEnded(unit, unit.runId, answering(unit))).to.include({ outcome: 'through' });
		const gateway = new Gateway(unit);
		await gateway.dial();
		const read = async () => {
			await readAnew(gateway);
			const { id } = await unwalled()('reading')
				.where({ unit_id: unit.unitId })
				.orderBy('at', 'desc')
				.first('id');
			return id as string;
		};
		const readings = [await read()];
		await unwalled()('position')
			.where({ id: positionId })
			.update({ values: JSON.stringify({ hostname: 'h1', [code]: seal('mackerel-2') }) });
		readings.push(await read());
		typed(gateway, (text) => text.replace('"swordfish-1"', '"pollock-3 and more"'));
		readings.push(await read());
		const person = await newPerson({ 'Southfold Physio': 'engineer' });
		const at = `/units/${unit.unitId}`;
		const preview = `/positions/${positionId}/preview`;
		for (const path of [
			...[
				at,
				`${at}/versions`,
				`${at}/send`,
				`${at}/versions?version=2&with=1`,
				`${at}/versions?version=intended`
			],
			...readings.map((id) => `${at}/readings/${id}`),
			...[preview, `${preview}?with=sent`, `${preview}?with=running`],
			`/profiles/parts/from-text?position=${positionId}`
		]) {
			const answer = await get(path, person);
			const page = await answer.text();
			expect(answer.status, path).to.equal(200);
			expect(page, path).to.match(/note (<[^>]*>)*••••••/);
			for (const one of ['swordfish', 'mackerel', 'pollock', 'and more'])
				expect(page, path).to.not.include(one);
		}
		expect(await wholeTextOf(unwalled(), unit.unitId, 2)).to.include('note "pollock-3 and more";');
		expect((await findingsOf(unit.unitId)).map(({ should, runs }) => [should, runs])).to.deep.equal([
			['note ••••••;', 'note ••••••;']
		]);
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

	it('says which version brought a line, by whom, why, and whether its site held afterwards', async () => {
		const gateway = await behind();
		const { unitId, positionId } = gateway.unit;
		await readAnew(gateway);
		await send(gateway);
		await untilSend(unitId, 'committed');
		await gateway.dial();
		await untilSend(unitId, 'confirmed');
		typed(gateway, (text) => `${text}vpn-secret "hush hush";\n`);
		await readAnew(gateway);
		const site = (await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;
		must(await proveSite(site, 'asked', ACTOR));
		await onChange(['proofs'], async () => (await lastProof(site))?.state !== 'open');
		const latest = async () => {
			const [{ number }] = (await versionsOf(unitId)) as [Version];
			const lines = (await maskedTextOf(unwalled(), unitId, number))!.trimEnd().split('\n');
			const found = (await lineOrigins(unitId, number, BRACED))!;
			expect(found.lines).to.have.lengthOf(lines.length);
			const of = (words: string) =>
				found.origins[found.lines[lines.findIndex((line) => line.includes(words))]!]!;
			expect(found.lines[lines.indexOf('}')]).to.equal(null);
			return { number, of };
		};
		const { number, of } = await latest();
		expect(of('identity')).to.include({ number: 1, how: 'run', reason: null });
		const sent = of('new-name-');
		expect(sent).to.include({ number: 2, how: 'send', byWhom: ACTOR.name });
		expect(sent.reason).to.be.a('string');
		expect(of('vpn-secret')).to.deep.include({ number: 3, how: 'outside' });
		expect(of('vpn-secret').proof).to.include({ siteId: site });
		// Another secret is another line, though both are masked
		typed(gateway, (text) => text.replace('hush hush', 'shout'));
		await readAnew(gateway);
		const later = await latest();
		expect(later.number).to.equal(number + 1);
		expect(later.of('vpn-secret')).to.deep.include({ number: later.number, proof: null });
		expect(await lineOrigins(unitId, 99, BRACED)).to.equal(null);
		const stranger = await newPerson({ [await customerLike('Southfold Physio')]: 'engineer' });
		expect(await doneBy(stranger, () => lineOrigins(unitId, number, BRACED))).to.equal(null);
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
		const elsewhere = await newPerson({ [await customerLike('Southfold Physio')]: 'engineer' });
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
