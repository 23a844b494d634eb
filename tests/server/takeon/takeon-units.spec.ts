import { expect } from 'chai';
import { reachAt, stopReaching } from '../../../src/lib/server/connections';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { lookWhoIsBehind } from '../../../src/lib/server/drift';
import {
	createPart,
	releasePart,
	releaseProfile,
	renderingSources,
	renderPosition
} from '../../../src/lib/server/profile';
import {
	addProfiles,
	addUnits,
	addWayIn,
	controlOf,
	endOldWay,
	makeProfile,
	rollOutDue,
	takeStage,
	takeUnitsOn,
	unitsOfTakeOn,
	withoutWayIn
} from '../../../src/lib/server/takeon';
import { database } from '../../../src/lib/server/database';
import { onChange } from '../dialling';
import { online } from '../gateway';
import { ACTOR, actorOf, customerId, newPerson, unwalled } from '../making';
import { field, fresh, must, REACH, releasedPart, releasedProfile, why } from '../profile/profile-making';
import { learnt, onlyGroup, worked, positionOf, released, begun } from './takeon-making';
import { createServer, type Server } from 'node:net';
import type { AddressInfo } from 'net';
import { claimBatch } from '../../../src/lib/server/intake';
import { loadPack } from '../../../src/lib/server/packs';
import { Fennick, fennickPack } from '../../fennick';

describe('units that are taken on', () => {
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
});
