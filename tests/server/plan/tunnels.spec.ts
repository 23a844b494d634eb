import { expect } from 'chai';
import { database, runAs } from '../../../src/lib/server/database';
import {
	createPool,
	letFollow,
	planTunnel,
	planWantedTunnels,
	releaseAllotment,
	removeTunnel,
	renewTunnelSecret,
	saveValues,
	savePattern,
	tunnels,
	tunnelsWanted
} from '../../../src/lib/server/plan';
import { hidingAt, renderingSources, renderPosition } from '../../../src/lib/server/profile';
import { ACTOR, actorOf, customerId, newPerson, openPosition, unwalled } from '../making';
import { tunnelPool } from '../network';
import { again, fresh, newPattern, sitesOf, stamped } from './pattern-making';

const PIPPIN = 'Pippin & Loaf';
let hub: string;
let customer: string;

const rendered = async (positionId: string): Promise<string> => {
	const source = (await renderingSources(database(), [positionId])).get(positionId)!;
	const result = renderPosition(source);
	if (!result.ok) throw new Error(result.problems[0]!.message);
	return result.text;
};
const siteOf = async (positionId: string): Promise<string> =>
	(await unwalled()('position').where({ id: positionId }).first('site_id')).site_id;
const tunnelBetween = async (near: string, far: string) =>
	(await tunnels({ customerId: customer })).find(
		(one) => one.near.positionId === near && one.far.positionId === far
	)!;
const planned = async (near: string, far = hub) => {
	const act = await planTunnel({ customer, near, far }, ACTOR);
	if (!act.ok) throw new Error(act.problem);
	return tunnelBetween(near, far);
};
const networks = (positionId: string, now: string) =>
	unwalled()('position')
		.where({ id: positionId })
		.update({ values: unwalled().raw(`values || jsonb_build_object('networks', ?::text)`, [now]) });

describe('tunnels', () => {
	before(async () => {
		customer = await customerId(PIPPIN);
		({ id: hub } = await unwalled()('position').where({ name: 'hub-1', customer_id: customer }).first('id'));
		await tunnelPool(customer);
	});

	it('are one row from which both ends’ configurations come, with a secret that agrees and is shown to nobody', async () => {
		const site = await openPosition('router', PIPPIN);
		await networks(site, '10.40.200.0/22');
		expect(await rendered(site)).to.not.contain('tunnel ');
		const tunnel = await planned(site);
		const [here, there] = [await rendered(site), await rendered(hub)];
		const secret = /secret "([0-9a-f]{40})"/.exec(here)![1]!;
		expect(here).to.match(
			new RegExp(
				`^tunnel ${tunnel.name}\n {2}far-end 203\\.0\\.113\\.26\n {2}secret "${secret}"\n {2}own-address ${tunnel.near.address}/31\n {2}reach 10\\.0\\.0\\.0/22\n {2}reach 10\\.40\\.0\\.0/15\n`,
				'm'
			)
		);
		expect(there).to.contain(
			`tunnel ${tunnel.name}\n  secret "${secret}"\n  own-address ${tunnel.far.address}/31\n  reach 10.40.200.0/22\n`
		);
		const source = (await renderingSources(database(), [site])).get(site)!;
		expect((await hidingAt(source))(`it says ${secret}`)).to.equal('it says ••••••');
		const stored = await unwalled()('tunnel').where({ id: tunnel.id }).first('secret');
		expect(stored.secret).to.not.contain(secret);
	});

	it('say in each line that it comes from the tunnels, also what it reads of one', async () => {
		const site = await openPosition('router', PIPPIN);
		await planned(site);
		const result = renderPosition((await renderingSources(database(), [site])).get(site)!);
		if (!result.ok) throw new Error(result.problems[0]!.message);
		const line = result.lines.find(({ text }) => /^ {2}secret "[0-9a-f]{40}"$/.test(text))!;
		expect(line.fields).to.include.members(['position.tunnels', 'position.tunnels.secret']);
	});

	it('tell who changes a site’s network that the hub’s configuration changes as well', async () => {
		const site = await openPosition('router', PIPPIN);
		await planned(site);
		const before = await rendered(hub);
		const act = await saveValues(
			[
				{ positionId: site, field: 'networks', target: 'position', was: '10.0.0.0/22', now: '10.41.248.0/22' }
			],
			ACTOR
		);
		expect(act).to.deep.include({ ok: true, done: { cells: 1, across: ['hub-1 at The mill'] } });
		expect(await rendered(hub))
			.to.contain('reach 10.41.248.0/22')
			.and.not.equal(before);
		const name = await saveValues(
			[{ positionId: site, field: 'lan_label', target: 'position', was: '', now: 'ovens' }],
			ACTOR
		);
		expect(name).to.deep.include({ done: { cells: 1, across: [] } });
	});

	it('are one between two, each with addresses of its own, which come back when it is taken out', async () => {
		const [one, two] = [await openPosition('router', PIPPIN), await openPosition('router', PIPPIN)];
		const [first, second] = [await planned(one), await planned(two)];
		expect(first.near.address).to.not.equal(second.near.address);
		expect(first.name).to.not.equal(second.name);
		const again = await planTunnel({ customer, near: hub, far: one }, ACTOR);
		expect(again).to.deep.include({ ok: false, problem: `These two have a tunnel already: ${first.name}.` });
		expect(await planTunnel({ customer, near: one, far: one }, ACTOR)).to.have.property('ok', false);
		const held = await unwalled()('allotment').where({ tunnel_id: first.id }).first('id');
		expect(await releaseAllotment(held.id, ACTOR)).to.have.property('ok', false);
		expect(await removeTunnel(first.id, ACTOR)).to.have.property('ok', true);
		expect(await unwalled()('allotment').where({ tunnel_id: first.id })).to.deep.equal([]);
		expect(await rendered(one)).to.not.contain('tunnel ');
		expect(await removeTunnel(first.id, ACTOR)).to.deep.include({ problem: 'This tunnel is gone already.' });
	});

	it('get a new secret at both ends at once', async () => {
		const site = await openPosition('router', PIPPIN);
		const tunnel = await planned(site);
		const before = /secret "([0-9a-f]{40})"/.exec(await rendered(site))![1]!;
		expect(await renewTunnelSecret(tunnel.id, ACTOR)).to.have.property('ok', true);
		expect(await rendered(hub)).to.not.contain(before);
		const now = /secret "([0-9a-f]{40})"/.exec(await rendered(site))![1]!;
		expect(await rendered(hub)).to.contain(now);
	});

	it('come with a pattern: to sites that are stamped, and to those that stand when it is asked for', async () => {
		const pattern = await newPattern();
		await stamped(pattern.id, [['site'], [fresh('bakery')]]);
		expect((await tunnelsWanted(customer)).some(({ patternId }) => patternId === pattern.id)).to.equal(false);
		const edited = await again(pattern.id);
		const places = edited.places.map((place) =>
			place.name === 'rt-1' ? { ...place, tunnelTo: hub } : place
		);
		expect(await savePattern(customer, { ...edited, places }, ACTOR)).to.have.property('ok', true);
		expect((await tunnelsWanted(customer)).find(({ patternId }) => patternId === pattern.id)).to.include({
			count: 1,
			to: 'hub-1 at The mill'
		});
		expect(await planWantedTunnels(pattern.id, ACTOR)).to.deep.include({ done: { count: 1 } });
		await stamped(pattern.id, [['site'], [fresh('bakery')]]);
		const routers = (await sitesOf(pattern.id)).map(
			({ places: all }) => all.find(({ name }) => name === 'rt-1')!.id
		);
		expect(routers).to.have.length(2);
		for (const router of routers) expect(await tunnelBetween(router, hub)).to.be.an('object');
		expect(await planWantedTunnels(pattern.id, ACTOR)).to.have.property('ok', false);
		expect(await letFollow(pattern.id, [], ACTOR)).to.have.property('ok', false);
	});

	it('are not planned when the pool has none left: nothing is', async () => {
		const [{ id: elsewhere }] = await unwalled()('customer').insert(
			{ id: unwalled().raw('gen_random_uuid()'), name: fresh('customer'), values: '{}' },
			'id'
		);
		const { rows } = await unwalled().raw(
			`with s as (insert into site (id, customer_id, name, time_zone, uplink)
				select gen_random_uuid(), ?, 'Site ' || n, 'Pacific/Auckland', 'fibre' from generate_series(1, 3) n returning id, customer_id)
			insert into position (id, site_id, customer_id, name, role_id, profile_id, values)
			select gen_random_uuid(), s.id, s.customer_id, 'rt-1', profile.role_id, profile.id, '{}' from s, profile where profile.name = 'Bakery router' returning id`,
			[elsewhere]
		);
		const [a, b, c] = (rows as { id: string }[]).map(({ id }) => id);
		const engineer = await newPerson({ [await nameOf(elsewhere)]: 'engineer' });
		const actor = await actorOf(engineer);
		await runAs({ kind: 'person', personId: engineer.id }, async () => {
			const pair = (near: string, far: string) => planTunnel({ customer: elsewhere, near, far }, actor);
			expect(await pair(a!, b!)).to.have.property(
				'problem',
				'The customer has no pool of tunnels yet. Make one under Addresses.'
			);
			await createPool(
				{
					customerId: elsewhere,
					name: 'Two',
					field: 'tunnels',
					scope: 'tunnel',
					range: { block: '10.255.0.0/30', length: 31 },
					policy: 'next-free',
					warnBelow: 0
				},
				actor
			);
			expect(await pair(a!, b!)).to.have.property('ok', true);
			expect(await pair(a!, c!)).to.have.property('ok', true);
			expect(await pair(b!, c!)).to.have.property(
				'problem',
				'There is room for 0 more tunnels in pool “Two”, and 1 are wanted.'
			);
			expect(await tunnels({ customerId: elsewhere })).to.have.length(2);
			expect(await pair(a!, hub)).to.have.property('ok', false);
		});
	});

	it('are planned by coordinators and engineers of the customer alone, and seen by nobody else', async () => {
		const site = await openPosition('router', PIPPIN);
		const tunnel = await planned(site);
		for (const duty of ['technician', 'auditor', 'reader'] as const) {
			const person = await newPerson({ [PIPPIN]: duty });
			const actor = await actorOf(person);
			await runAs({ kind: 'person', personId: person.id }, async () => {
				expect(await renewTunnelSecret(tunnel.id, actor)).to.have.property('ok', false);
				expect(await removeTunnel(tunnel.id, actor)).to.have.property('ok', false);
			});
		}
		const stranger = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		await runAs({ kind: 'person', personId: stranger.id }, async () => {
			expect(await tunnels({ siteId: await siteOf(site) })).to.deep.equal([]);
			expect(await removeTunnel(tunnel.id, await actorOf(stranger))).to.have.property('ok', false);
		});
		expect(await tunnels({ siteId: await siteOf(site) })).to.have.length(1);
	});
});

const nameOf = async (id: string): Promise<string> =>
	(await unwalled()('customer').where({ id }).first('name')).name;
