import { readdirSync, readFileSync } from 'node:fs';
import { createServer, type AddressInfo, type Server } from 'node:net';
import { expect } from 'chai';
import type { LearntChoice } from '../../src/core/takeon';
import { reachAt, stopReaching } from '../../src/lib/server/connections';
import { BOOTSTRAP, runAs } from '../../src/lib/server/database';
import { lookWhoIsBehind } from '../../src/lib/server/drift';
import { claimBatch } from '../../src/lib/server/intake';
import { loadPack } from '../../src/lib/server/packs';
import { workById, itemsOf } from '../../src/lib/server/jobs';
import {
	allParts,
	createPart,
	draftFrom,
	putIntoLibrary,
	releasePart,
	releaseProfile,
	renderingSources,
	renderPosition,
	revisionsById,
	revisionsOf,
	revisionsOfPart,
	savePart
} from '../../src/lib/server/profile';
import {
	addConfigurations,
	addProfiles,
	addUnits,
	addWayIn,
	beginTakeOn,
	choose,
	controlOf,
	endOldWay,
	endTakeOn,
	givePlaces,
	groupsOfTakeOn,
	leaveOut,
	makeProfile,
	reportOfTakeOn,
	rollOutDue,
	sayModel,
	takeOnById,
	takeStage,
	takeUnitsOn,
	textsOfTakeOn,
	undoChoice,
	unitsOfTakeOn,
	withoutWayIn
} from '../../src/lib/server/takeon';
import { database } from '../../src/lib/server/database';
import { Fennick, fennickPack } from '../fennick';
import { onChange } from './dialling';
import { online } from './gateway';
import { ACTOR, actorOf, customerId, newPerson, unwalled } from './making';
import { field, fresh, must, REACH, releasedPart, releasedProfile, why } from './profile-making';

const FOLDER = new URL('../../demo/lodges/', import.meta.url);
const LODGES = readdirSync(FOLDER).map((name) => ({
	name,
	text: readFileSync(new URL(name, FOLDER), 'utf8')
}));

async function begun(customer = 'Harrier Lodges'): Promise<string> {
	return must(await beginTakeOn({ customer: await customerId(customer), name: fresh('Lodges') }, ACTOR)).id;
}
const learnt = (id: string) =>
	onChange(['take-ons'], async () => {
		const now = (await takeOnById(id))!;
		return now.learnt === now.wanted;
	});
async function lodges(): Promise<string> {
	const id = await begun();
	// Each test’s lodges are its own
	const own = fresh('x').replace(/\D/g, '');
	must(
		await addConfigurations(
			id,
			LODGES.map(({ name, text }) => ({ name, text: text.replace(/ Lodge"/, ` Lodge ${own}"`) })),
			ACTOR
		)
	);
	await learnt(id);
	return id;
}
const positionOf = async (unitId: string): Promise<string | undefined> =>
	(await unwalled()('binding').where({ unit_id: unitId }).first('position_id'))?.position_id;
const onlyGroup = async (id: string) => {
	const groups = await groupsOfTakeOn(id);
	expect(groups).to.have.length(1);
	return groups[0]!;
};
/** All that was begun last, done. */
async function worked(): Promise<
	readonly { readonly subject: string; readonly state: string; readonly words: string }[]
> {
	const { id } = await unwalled()('long_work')
		.where({ kind: 'take units on' })
		.orderBy('begun_at', 'desc')
		.first('id');
	await onChange(['work', 'take-ons'], async () => (await workById(id))!.state !== 'under way');
	return itemsOf(id, { limit: 100 });
}
async function released(id: string): Promise<string> {
	const { id: group } = await onlyGroup(id);
	const { profileId } = must(
		await makeProfile(id, { group, name: fresh('Lodge gateway'), role: 'router' }, ACTOR)
	);
	must(await releaseProfile(profileId, 1, 'Learnt', false, ACTOR));
	return profileId;
}

describe('taking on what somebody else configured', () => {
	it('learns a profile from twelve, keeps secrets sealed, and brings all of them into the plan as they run', async () => {
		const id = await lodges();
		const units = await unitsOfTakeOn(id);
		expect(units.map(({ model }) => model)).to.deep.equal(units.map(() => 'VT-120'));
		const group = await onlyGroup(id);
		expect(group.result!.proofs.filter(({ holds }) => !holds)).to.deep.equal([]);
		// What the library says already is left to it, with what most of them give it
		expect(group.result!.parts.map(({ name }) => name)).to.deep.equal(['Time and logging']);
		expect(group.result!.shared).to.include({ time_server: 'time.harrier.example' });
		expect(group.result!.text).to.not.match(/time-server|name-server|log-to/);
		const larch = units.find(({ name }) => name === 'larch-gw')!;
		const cedar = units.find(({ name }) => name === 'cedar-gw')!;
		expect(group.result!.questions.map(({ kind, units: whose }) => [kind, whose])).to.have.deep.members([
			['only here', [larch.id]],
			['other value', [cedar.id]]
		]);
		expect(larch)
			.to.include({ position: 'gw' })
			.and.property('site')
			.to.match(/^Larch Lodge/);
		for (const row of await unwalled()('take_on_unit').where({ take_on_id: id }))
			expect(JSON.stringify(row)).not.to.contain('kettle');
		for (const row of await unwalled()('take_on_group').where({ take_on_id: id }))
			expect(JSON.stringify(row)).not.to.contain('kettle');

		expect(why(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR))).to.match(/^No unit waits/);
		must(
			await choose(
				id,
				{ group: group.id, choice: { kind: 'scope', field: 'own_address', scope: 'site' } },
				ACTOR
			)
		);
		await learnt(id);
		const profileId = await released(id);
		const [part] = (await allParts(profileId)).filter(({ onlyFor }) => onlyFor === profileId);
		const { parts, values } = (await revisionsById(database(), [(await revisionsOf(profileId))[0]!.id]))
			.values()
			.next().value!;
		expect(parts.map(({ name }) => name)).to.deep.equal(['Time and logging', part!.name]);
		expect(values).to.include({ time_server: 'time.harrier.example' });
		expect((await allParts()).map((one) => one.id)).not.to.include(part!.id);
		must(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR));
		const items = await worked();
		expect(items.filter(({ state }) => state !== 'done')).to.deep.equal([]);

		const placed = await unitsOfTakeOn(id);
		const texts = await textsOfTakeOn(id);
		const positions = placed.map(({ positionId }) => positionId!);
		const sources = await renderingSources(database(), positions);
		for (const unit of placed) {
			const rendering = renderPosition(sources.get(unit.positionId!)!);
			if (!rendering.ok) throw new Error(rendering.problems[0]!.message);
			const statements = (text: string) => text.split('\n').filter((line) => line && !line.startsWith('!'));
			expect(statements(rendering.text), unit.name).to.have.members(statements(texts.get(unit.id)!));
		}
		const sites = await unwalled()('site').whereIn(
			'id',
			placed.map(({ siteId }) => siteId!)
		);
		expect(sites.filter(({ values }) => /^10\.40\./.test(values.own_address))).to.have.length(12);
		const stances = await unwalled()('stance').whereIn(
			'site_id',
			placed.map(({ siteId }) => siteId!)
		);
		expect(stances.map(({ stance }) => stance)).to.deep.equal(placed.map(() => 'watch'));
		expect((await reportOfTakeOn(id)).slice(1).map((row) => row[6])).to.deep.equal(placed.map(() => 'yes'));
		// Once is enough
		expect(why(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR))).to.match(/^No unit waits/);
		must(await putIntoLibrary(part!.id, ACTOR));
		expect((await allParts()).map((one) => one.id)).to.include(part!.id);
		must(await endTakeOn(id, ACTOR));
		expect([...(await textsOfTakeOn(id)).values()].join('')).to.equal('');
		expect(why(await draftFrom(profileId, 1, ACTOR))).to.equal('done');
	});

	it('has what somebody wants otherwise, proved anew, also when more units come, and takes it back', async () => {
		const id = await lodges();
		const { id: group } = await onlyGroup(id);
		const wants = async (choice: LearntChoice) => {
			must(await choose(id, { group, choice }, ACTOR));
			await learnt(id);
			return (await onlyGroup(id)).result!;
		};
		expect((await wants({ kind: 'rename', field: 'own_address', to: 'lan' })).text).to.contain(
			'own-address {{ lan }}'
		);
		const [said] = (await onlyGroup(id)).result!.parts;
		const written = await wants({ kind: 'write out', part: said!.id });
		expect(written.parts).to.deep.equal([]);
		// It stays so when the part is released anew
		const part = (await allParts()).find(({ name }) => name === said!.name)!;
		const [newest] = await revisionsOfPart(part.id);
		must(await savePart(part.id, 0, newest!, ACTOR));
		must(await releasePart(part.id, 1, 'the same once more', ACTOR));
		expect(written.text).to.contain('time-server {{ time_server }}').and.contain('own-address {{ lan }}');
		const constant = await wants({ kind: 'constant', field: 'time_server' });
		expect(constant.text).to.contain('time-server time.harrier.example');
		expect(constant.proofs.filter(({ own }) => own.length > 0)).to.have.length(2);
		must(
			await addConfigurations(
				id,
				[
					{
						name: 'oak-gw.cfg',
						text: LODGES[0]!.text.replaceAll(/birch/gi, 'Oak').replaceAll('.41.', '.60.')
					}
				],
				ACTOR
			)
		);
		await learnt(id);
		const more = await onlyGroup(id);
		expect(more.id).to.equal(group);
		expect(more.result!.text).to.equal(constant.text);
		expect(more.result!.proofs).to.have.length(13);
		must(await undoChoice(id, { group }, ACTOR));
		await learnt(id);
		expect((await onlyGroup(id)).result!.text).to.contain('{{ time_server }}');
		await wants({ kind: 'rename', field: 'gone', to: 'other' });
		expect((await onlyGroup(id)).problems).to.deep.equal(['There is no field gone any more.']);
	});

	it('finds what follows from a site’s name once somebody says where units are', async () => {
		const id = await lodges();
		const units = await unitsOfTakeOn(id);
		const places = units.map(({ id: unit, site, position }) => ({ unit, site, position }));
		const twice = places.with(1, { ...places[1]!, site: places[0]!.site });
		expect(why(await givePlaces(id, { places: twice }, ACTOR))).to.match(/^Two units are called gw/);
		must(await givePlaces(id, { places }, ACTOR));
		await learnt(id);
		const location = (await onlyGroup(id)).result!.fields.find(({ name }) => name === 'location');
		expect(location!.formula).to.equal('site.name');
	});

	it('puts apart what is not alike, keeps as text what nobody can read, and reads it when somebody says what it is', async () => {
		const id = await begun();
		const braced = (n: number) =>
			`identity { name g${n}; }\nclock { server time.example; }\nwire uplink0 { lease; }\n`;
		must(
			await addConfigurations(
				id,
				[
					...LODGES.slice(0, 3),
					...[1, 2].map((n) => ({ name: `g${n}`, text: braced(n) })),
					{ name: 'letter', text: 'Dear all,\n   we moved.\n Yours' },
					{ name: 'broken', text: 'identity { name g9;\n' }
				],
				ACTOR
			)
		);
		await learnt(id);
		expect((await groupsOfTakeOn(id)).map(({ dialect }) => dialect)).to.deep.equal(['indented', 'braced']);
		const unread = (await unitsOfTakeOn(id)).filter((unit) => unit.unread !== '');
		expect(unread.map(({ name }) => name)).to.deep.equal(['broken', 'letter']);
		const broken = unread[0]!.id;
		expect(why(await sayModel(id, { unit: [broken], model: 'no-such' }, ACTOR))).to.equal(
			'There is no such model.'
		);
		must(await sayModel(id, { unit: [broken], model: 'og-2' }, ACTOR));
		await learnt(id);
		expect((await unitsOfTakeOn(id)).find((unit) => unit.id === broken)!.unread).to.match(/^Line 1: /);
		must(await leaveOut(id, { unit: unread.map((unit) => unit.id) }, ACTOR));
		await learnt(id);
		expect((await unitsOfTakeOn(id)).map(({ name }) => name)).to.not.include('letter');
	});

	it('takes units of one’s own: each follows the profile that was learnt, with what it runs @long', async () => {
		const gateways = [await online(), await online(), await online()];
		const id = await begun('Marlstone Veterinary');
		must(await addUnits(id, { serials: gateways.map(({ unit }) => unit.serial) }, ACTOR));
		expect(why(await addUnits(id, { serials: [gateways[0]!.unit.serial] }, ACTOR))).to.equal('done');
		await learnt(id);
		expect((await onlyGroup(id)).result!.proofs.every(({ holds }) => holds)).to.equal(true);
		expect(why(await addUnits(id, { serials: ['NOBODY1'] }, ACTOR))).to.equal(
			'NOBODY1 is no unit of this customer’s.'
		);
	});

	interface Reached {
		readonly device: Fennick;
		readonly server: Server;
		readonly serial: string;
		readonly unitId: string;
	}
	let made = 0;
	/** Three that somebody else configured, reached at their addresses. */
	async function reached(): Promise<readonly Reached[]> {
		must(await loadPack(fennickPack(), { name: 'Maren Aldous', address: null, may: () => true }));
		const devices: Reached[] = [];
		for (let n = 1; n <= 3; n++) {
			const end = ++made;
			const serial = `FN${(process.pid % 900) + 100}7000${end}`;
			const line = `${serial},02:0f:0e:07:00:0${end},CODE7000${end}`;
			const unitId = must(await claimBatch(await customerId('Harrier Lodges'), line, ACTOR)).rows[0]!.unitId!;
			const device = new Fennick(serial, '');
			device.configuration = `set system name lodge${n}-gw\nset port wan0 address automatic`;
			const server = createServer((socket) => device.answer(socket));
			await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
			const { port } = server.address() as AddressInfo;
			const login = { user: 'operator', password: device.password, privateKey: '', privileges: '' };
			must(await reachAt(unitId, { address: '127.0.0.1', port, ...login }, ACTOR));
			devices.push({ device, server, serial, unitId });
		}
		await onChange(['units'], async () => {
			const held = await unwalled()('unit_connection').whereNull('ended_at');
			return devices.every((one) => held.some(({ unit_id: id }) => id === one.unitId));
		});
		return devices;
	}
	/** They are learnt from, and brought into the plan. */
	async function takenOn(devices: readonly Reached[]) {
		const id = await begun();
		must(await addUnits(id, { serials: devices.map(({ serial }) => serial) }, ACTOR));
		await learnt(id);
		const { result } = await onlyGroup(id);
		const profileId = await released(id);
		must(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR));
		expect((await worked()).filter(({ state }) => state !== 'done')).to.deep.equal([]);
		const ids = devices.map(({ unitId }) => unitId);
		await onChange(['runs'], async () => {
			const runs = await unwalled()('run').whereIn('unit_id', ids);
			return runs.every(({ outcome }) => outcome !== 'open');
		});
		return { id, ids, profileId, text: result!.text };
	}
	function unplug(devices: readonly Reached[]): void {
		for (const { device, server } of devices) {
			device.unplug();
			server.close();
		}
	}

	it('makes one of profiles that were copied and edited, and every position is given what it was given', async () => {
		const copies: { id: string; positions: string[] }[] = [];
		for (const label of ['front desk', 'bar', 'kitchen']) {
			const own = REACH.replace('{{ hostname }};', `{{ hostname }}; place "${label}";`);
			const { revisionId } = await releasedPart(own, [field('hostname')]);
			copies.push(
				await releasedProfile(
					[revisionId],
					[1, 2].map((n) => ({ hostname: `${label.replace(' ', '-')}-${n}` })),
					'Harrier Lodges'
				)
			);
		}
		const positions = copies.flatMap((one) => one.positions);
		const texts = async () => {
			const sources = await renderingSources(database(), positions);
			return positions.map((one) => {
				const rendering = renderPosition(sources.get(one)!);
				if (!rendering.ok) throw new Error(rendering.problems[0]!.message);
				return rendering.text.split(/\s+/).join(' ');
			});
		};
		const before = await texts();
		const id = await begun();
		const profile = copies.map((one) => one.id);
		const technician = await actorOf(await newPerson({ 'Harrier Lodges': 'technician' }));
		expect(why(await addProfiles(id, { profile }, technician))).to.match(/taken on by engineers/);
		expect(must(await addProfiles(id, { profile }, ACTOR))).to.deep.equal({ added: 6, left: 0 });
		await learnt(id);
		const { id: group, result } = await onlyGroup(id);
		expect(result!.proofs.every(({ holds }) => holds)).to.equal(true);
		// What Limen renews by itself is no constant of the new profile
		expect(result!.text).to.not.contain('ssh-ed25519');
		expect([...new Set((await unitsOfTakeOn(id)).map(({ ofProfile }) => ofProfile))]).to.have.length(3);
		const { profileId } = must(
			await makeProfile(id, { group, name: fresh('One of three'), role: 'gateway' }, ACTOR)
		);
		must(await releaseProfile(profileId, 1, 'One', false, ACTOR));
		must(await takeUnitsOn(id, { timeZone: 'Pacific/Auckland' }, ACTOR));
		expect((await worked()).filter(({ state }) => state !== 'done')).to.deep.equal([]);
		const followed = await unwalled()('position').whereIn('id', positions).pluck('profile_id');
		expect([...new Set(followed)]).to.deep.equal([profileId]);
		const statements = (text: string) => text.split(/(?<=[;}]) /).sort();
		expect((await texts()).map(statements)).to.deep.equal(before.map(statements));
		expect(await unwalled()('stance').whereIn('unit_id', positions)).to.deep.equal([]);
	});

	it('takes on units that are reached at their addresses: bound, proved as they run, watched, and nothing sent', async () => {
		const devices = await reached();
		const { ids, text } = await takenOn(devices);
		expect(text).to.contain('set system name {{ ').and.contain('set port wan0 address automatic');
		const runs = await unwalled()('run').whereIn('unit_id', ids);
		expect(runs.map(({ outcome, failure_words: words }) => [outcome, words])).to.deep.equal(
			ids.map(() => ['through', null])
		);
		const stances = await unwalled()('stance').whereIn('unit_id', ids);
		expect(stances.map(({ stance }) => stance)).to.deep.equal(ids.map(() => 'watch'));
		for (const { device } of devices)
			expect(device.typed.filter((line) => /^(set|load|commit|delete)/.test(line))).to.deep.equal([]);
		unplug(devices);
		for (const unitId of ids) must(await stopReaching(unitId, ACTOR));
	});

	it('comes under control in stages: what is common, then all, Limen’s way in beside the old one, and the old one last', async () => {
		const devices = await reached();
		const { id, ids, profileId } = await takenOn(devices);
		await onChange(['drift'], async () =>
			(await controlOf(id)).every(({ isAsIntended }) => isAsIntended === true)
		);
		for (const one of await controlOf(id))
			expect(one).to.include({ stance: 'watch', way: 'address', hasAddress: true, isSettled: false });
		const stancesNow = async () => (await controlOf(id)).map(({ stance }) => stance);
		const technician = await actorOf(await newPerson({ 'Harrier Lodges': 'technician' }));
		expect(why(await takeStage(id, { stance: 'hold' }, technician))).to.match(/may not decide/);
		for (const stance of ['hold common', 'hold', 'watch', 'hold common'] as const) {
			expect(must(await takeStage(id, { stance }, ACTOR))).to.deep.equal({ count: 3 });
			expect(await stancesNow()).to.deep.equal(ids.map(() => stance));
		}
		expect(why(await takeStage(id, { stance: 'hold common' }, ACTOR))).to.match(/none for which/);

		// Its profile lets nobody of Limen's in; a part that would change what runs is no way in beside the old one
		const [without] = await withoutWayIn(await controlOf(id));
		expect(without).to.include({ profileId, hasDraft: false });
		expect(without!.lacks).to.deep.equal(['the address to call home', 'the key that lets Limen in']);
		const way = `set user limen key "{{ limen.public_key }}"\nset home host {{ limen.call_home_host }}\nset home port {{ limen.call_home_port }}\n`;
		const managing = async (text: string) => {
			const name = fresh('Way in');
			const part = must(
				await createPart({ name, summary: '', purpose: 'way-in', texts: { set: text }, fields: [] }, ACTOR)
			);
			must(await releasePart(part.id, 1, 'First', ACTOR));
			return (await withoutWayIn(await controlOf(id)))[0]!.parts.find((one) => one.name === name)!.value;
		};
		const given = async (text: string) =>
			addWayIn(id, { profile: profileId, part: await managing(text) }, ACTOR);
		expect(why(await given('set user limen key "{{ limen.public_key }}"\n'))).to.match(
			/still without the address to call home/
		);
		expect(why(await given(`${way}set port wan0 address 192.0.2.9\n`))).to.match(
			/^With it .* cannot be computed/
		);
		must(await given(way));
		expect((await withoutWayIn(await controlOf(id)))[0]).to.include({ hasDraft: true });
		expect(why(await given(way))).to.match(/is being written/);
		must(await releaseProfile(profileId, 1, 'Way in', true, ACTOR));
		expect(await withoutWayIn(await controlOf(id))).to.deep.equal([]);
		await runAs(BOOTSTRAP, lookWhoIsBehind);
		expect((await controlOf(id)).map(({ isBehind }) => isBehind)).to.deep.equal([true, true, true]);
		const rollout = must(await rollOutDue(id, ACTOR));
		expect(await unwalled()('rollout_item').where({ rollout_id: rollout.id })).to.have.length(3);

		// One has it, and calls home
		const [{ device, unitId, server }] = devices as readonly [Reached, ...Reached[]];
		const source = (await renderingSources(database(), [(await positionOf(unitId))!])).values().next().value!;
		const rendering = renderPosition(source);
		if (!rendering.ok) throw new Error(rendering.problems[0]!.message);
		device.unplug();
		server.close();
		device.configuration = rendering.text;
		void device.dialHome();
		const itself = async () => (await controlOf(id)).find((one) => one.unitId === unitId)!;
		await onChange(['units'], async () => (await itself()).way === 'home');
		expect(await itself()).to.include({ hasAddress: true, isSettled: false });
		expect(why(await endOldWay(id, ACTOR))).to.match(/called home for 3 days/);
		await unwalled()('unit_reach')
			.where({ unit_id: unitId })
			.update({ home_since: unwalled().raw("now() - interval '4 days'") });
		expect(why(await endOldWay(id, technician))).to.not.equal('done');
		expect(must(await endOldWay(id, ACTOR))).to.deep.equal({ count: 1 });
		expect(await itself()).to.include({ way: 'home', hasAddress: false });
		unplug(devices);
		for (const other of ids.slice(1)) must(await stopReaching(other, ACTOR));
	});

	it('is for engineers who plan for the customer, and refuses what is too much', async () => {
		const id = await lodges();
		const stranger = await newPerson({ 'Southfold Physio': 'engineer' });
		const coordinator = await newPerson({ 'Harrier Lodges': 'coordinator' });
		for (const person of [stranger, coordinator]) {
			const actor = await actorOf(person);
			await runAs({ kind: 'person', personId: person.id }, async () => {
				expect((await addConfigurations(id, LODGES, actor)).ok).to.equal(false);
				expect((await endTakeOn(id, actor)).ok).to.equal(false);
			});
		}
		await runAs({ kind: 'person', personId: stranger.id }, async () => {
			expect(await takeOnById(id)).to.equal(undefined);
			expect(await unitsOfTakeOn(id)).to.deep.equal([]);
		});
		const add = async (name: string, text: string) =>
			why(await addConfigurations(id, [{ name, text }], ACTOR));
		expect(await add('empty', '\n\n')).to.match(/is empty/);
		expect(await add(' ', 'hostname x')).to.match(/needs a name/);
		expect(await add('long', 'x\n'.repeat(30_000))).to.match(/longer than/);
		const many = Array.from({ length: 1_000 }, (_, at) => ({ name: `u${at}`, text: 'hostname x' }));
		expect(why(await addConfigurations(id, many, ACTOR))).to.match(/^At most 1,000 units/);
	});
});
