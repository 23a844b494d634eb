import { expect } from 'chai';
import * as v from 'valibot';
import { CHECK_KINDS, checkTitle } from '../../../src/core/proof';
import { runAs } from '../../../src/lib/server/database';
import { proofSchema, siteSchema } from '../../../src/lib/server/api';
import {
	checkAgain,
	givenLimits,
	lastProof,
	proofSummary,
	proveSite,
	saveLimits
} from '../../../src/lib/server/proof';
import type { LimitsOf } from '../../../src/lib/server/proof/limits';
import { FAULTS, type Fault } from '../../../standins/units/flash';
import { onChange } from '../dialling';
import { ended, Network, proven, type Box, type PlannedSite } from '../network';
import { tokenFor } from '../things';
import { ACTOR, actorOf, address, get, newPerson, post, unwalled } from '../making';

const CUSTOMER = 'Southfold Physio';
let hub: Box;
const network = new Network(CUSTOMER);
const { fabric } = network;

const faultsIn = ({ checks }: Awaited<ReturnType<typeof ended>>) =>
	checks
		.filter(({ state }) => state !== 'holds' && state !== 'cannot')
		.map(({ positionName, kind, state }) => `${positionName} ${kind} ${state}`)
		.sort();
const THROUGH_THE_HUB = ['rt-1 reach fails', 'rt-1 reach fails', 'rt-1 path fails'];
const WITHOUT_TUNNEL = ['rt-1 tunnel fails', 'rt-1 route fails', 'rt-1 route fails', ...THROUGH_THE_HUB];
/** What each fault of the yard makes fail, when it is a fault of the site's router; nothing else does. */
const FAILING: Readonly<Partial<Record<Fault, readonly string[]>>> = {
	'lossy-line': ['rt-1 reach fails', 'rt-1 reach fails'],
	'address-taken': ['rt-1 reach fails', 'rt-1 reach fails'],
	'blocked-tunnels': WITHOUT_TUNNEL,
	'lost-secret': WITHOUT_TUNNEL,
	'forwards-nothing': THROUGH_THE_HUB,
	'bad-cable': ['rt-1 port fails'],
	mute: ['ap-shop neighbours fails'],
	stranger: ['rt-1 neighbours fails'],
	loop: ['rt-1 neighbours fails', 'rt-1 reach fails', 'rt-1 reach fails'],
	'no-addresses-left': ['rt-1 clients fails'],
	'no-name': ['rt-1 name fails'],
	'wrong-clock': ['rt-1 clock fails'],
	'cut-fibre': [
		'rt-1 port fails',
		'rt-1 name fails',
		'rt-1 command fails',
		'ap-shop name fails',
		...WITHOUT_TUNNEL
	],
	'far-side-silent': ['rt-1 name fails', 'rt-1 command fails', ...WITHOUT_TUNNEL]
};
/** What keeps a unit from coming online at all shows in its run, not in a proof. */
const BEFORE_PROOF: readonly Fault[] = [
	'no-lease',
	'no-option',
	'circle',
	'forged-voucher',
	'other-voucher',
	'old-voucher',
	'replayed-nonce',
	'wrong-owner',
	'tampered',
	'unsigned',
	'wrong-code',
	'bad-hash',
	'worn-flash',
	'old-release',
	'rejected-line',
	'drops-out',
	'lost-way'
];

describe('a site’s proof', function () {
	const sites = new Map<Fault | 'none', Awaited<ReturnType<typeof network.broughtOnline>>>();

	before(async () => {
		const hubPosition = await network.planHub();
		// Each is followed, by name, by one that is well: that is the other site which it looks at
		const wanted = ['none', ...(Object.keys(FAILING) as Fault[])] as const;
		const plans: { readonly of: Fault | 'none'; readonly site: PlannedSite; readonly well: PlannedSite }[] =
			[];
		for (const of of wanted)
			plans.push({
				of,
				site: await network.plannedSite(`${of} a`, true),
				well: await network.plannedSite(`${of} b`, false)
			});
		hub = await network.online('router', hubPosition);
		for (const { of, site, well } of plans) {
			await network.broughtOnline(well, false);
			sites.set(of, await network.broughtOnline(site, true));
		}
		fabric.look();
	});
	afterEach(() => {
		network.isWell();
	});
	after(() => network.end());

	it('begins by itself when the last unit has come through, and makes the site online', async () => {
		const { id, tunnel } = sites.get('none')!;
		const proof = await ended(id);
		expect(faultsIn(proof)).to.deep.equal([]);
		expect(proof).to.include({ state: 'held', why: 'complete' });
		expect(proof.checks.map(({ positionName, title }) => `${positionName}: ${title}`)).to.include.members([
			`rt-1: Tunnel ${tunnel} up`,
			'rt-1: Route to 10.40.0.0/13',
			'rt-1: 10.42.4.1 answers',
			'rt-1: Cabled as planned',
			'rt-1: Power for what hangs on it',
			'ap-shop: Running equals intended'
		]);
		expect(await proofSummary(id)).to.include({ state: 'held', isOpen: false });
		const { rows } = await unwalled().raw('select word from site_standing where site_id = ?', [id]);
		expect(rows[0].word).to.equal('online');
		const acts = await unwalled()('ledger_entry').where({ subject_id: id, act: 'site proven' });
		expect(acts).to.have.length(1);
	});

	it('keeps values with their units', async () => {
		const { id } = sites.get('none')!;
		const { checks } = await ended(id);
		const reach = checks.find(({ kind }) => kind === 'reach')!;
		expect(reach.figures[0]).to.deep.equal({ name: 'loss', value: 0, unit: '%' });
		expect(reach.figures[1]).to.include({ name: 'round trip', unit: 'ms' });
		expect(checks.find(({ kind }) => kind === 'port')!.figures).to.deep.equal([
			{ name: 'speed', value: 1000, unit: 'Mbit/s' }
		]);
	});

	it('names for each fault the checks that fail, and no other @long', async () => {
		expect([...Object.keys(FAILING), ...BEFORE_PROOF].sort()).to.deep.equal(Object.keys(FAULTS).sort());
		const faulty = [...sites].filter(([fault]) => fault !== 'none') as [Fault, { id: string; router: Box }][];
		await Promise.all(faulty.map(async ([, { id }]) => ended(id)));
		for (const [fault, { router }] of faulty) router.faults.add(fault);
		const found = await Promise.all(
			faulty.map(async ([fault, { id }]) => [fault, faultsIn(await proven(id))])
		);
		for (const [, { router }] of faulty) router.faults.clear();
		for (const [fault, list] of found)
			expect(list, `${fault}: ${String(list)}`).to.deep.equal([...FAILING[fault as Fault]!].sort());
		const { rows } = await unwalled().raw('select word from site_standing where site_id = ?', [
			sites.get('mute')!.id
		]);
		expect(rows[0].word).to.equal('proof-failed');
		fabric.look();
	});

	it('says that a cable is in another port, and which; and that a unit beside it is not the one planned @long', async () => {
		const { id, router, point } = sites.get('none')!;
		point!.plug = { serial: router.label.serial, port: 'lan2' };
		const proof = await proven(id);
		expect(faultsIn(proof)).to.deep.equal([
			'ap-shop neighbours fails',
			'rt-1 neighbours fails',
			'rt-1 power fails'
		]);
		const words = proof.checks.filter(({ kind }) => kind === 'neighbours').map((one) => one.words);
		expect(words).to.have.members([
			'Port eth0 leads to port lan2 of rt-1, planned lan1.',
			'ap-shop is in port lan2, planned lan1.'
		]);
		point!.plug = null;
		const failed = proof.checks.find(({ kind, state }) => kind === 'power' && state === 'fails')!;
		expect(failed.help).to.match(/Compare with the card/);
		const act = await checkAgain(proof.id, failed.ordinal, ACTOR);
		expect(act).to.have.property('ok', true);
		const after = await ended(id);
		expect(after.id).to.equal(proof.id);
		expect(after.checks.find(({ ordinal }) => ordinal === failed.ordinal)!.state).to.equal('holds');
		expect(after.state).to.equal('failed');
		expect((await proven(id)).state).to.equal('held');
	});

	it('tells what could not be read in the unit’s words, and never as failed or passed', async () => {
		const { id, router } = sites.get('none')!;
		router.says.set('print tunnels', 'tunnelz: %% many\n');
		router.says.set('print clock', 'half past nine\n');
		router.says.set('print release', 'release: 9.9\nbuilt for branch routers\n');
		const proof = await proven(id);
		expect(faultsIn(proof)).to.deep.equal(['rt-1 clock unread', 'rt-1 firmware fails', 'rt-1 tunnel unread']);
		expect(proof.checks.find(({ kind }) => kind === 'tunnel')!.words).to.contain('tunnelz: %% many');
		expect(proof.state).to.equal('failed');
		router.says.clear();
	});

	it('waits for what still may come, and holds as soon as it does', async () => {
		const { id, router } = sites.get('none')!;
		router.faults.add('lost-secret');
		const act = await proveSite(id, 'asked', ACTOR);
		expect(act).to.have.property('ok', true);
		await onChange(['proofs'], async () =>
			(await lastProof(id))!.checks.some(({ kind, tries }) => kind === 'tunnel' && tries > 0)
		);
		const waiting = (await lastProof(id))!.checks.find(({ kind }) => kind === 'tunnel')!;
		expect(waiting).to.include({ state: 'asking', words: 'It is down.' });
		router.faults.clear();
		fabric.look();
		const proof = await ended(id);
		expect(proof.checks.find(({ kind }) => kind === 'tunnel')).to.include({ state: 'holds' });
	});

	it('goes over what runs: a change at the console is found', async () => {
		const { id, router } = sites.get('none')!;
		const before = router.configuration;
		router.configuration = `${before}log-to 192.0.2.99\n`;
		const proof = await proven(id);
		expect(faultsIn(proof)).to.include('rt-1 configuration fails');
		router.configuration = before;
		expect((await proven(id)).state).to.equal('held');
	});

	it('checks what its profile wants, as strictly as that says @long', async () => {
		const { id, router } = sites.get('none')!;
		const { id: profile } = await unwalled()('profile').where({ name: 'Bakery router' }).first('id');
		const on = Object.keys(CHECK_KINDS).filter((kind) => kind !== 'clock' && kind !== 'name');
		const usual = { loss: '', milliseconds: '', speed: '', least: '', seconds: '' };
		const save = (more: object, of: LimitsOf = { profile }) =>
			saveLimits(of, { ...usual, on, ...more }, ACTOR);
		expect(await save({ loss: '101' })).to.have.property(
			'problem',
			'Answers that may be lost: this is out of its range.'
		);
		expect(await save({ loss: '40' })).to.have.property('ok', true);
		router.faults.add('lossy-line');
		router.faults.add('wrong-clock');
		const proof = await proven(id);
		expect(faultsIn(proof)).to.deep.equal([]);
		const kinds = proof.checks.flatMap(({ positionName, kind }) => (positionName === 'rt-1' ? [kind] : []));
		expect(kinds).to.include('reach').and.not.include.members(['clock']);
		expect((await givenLimits({ profile }))!.limits).to.deep.equal({ off: ['name', 'clock'], loss: 40 });
		expect(await save({}, { profile: '00000000-0000-4000-8000-000000000000' })).to.have.property('ok', false);
		await unwalled()('profile').where({ id: profile }).update({ proof_limits: null });
		expect(faultsIn(await proven(id))).to.deep.equal([
			'rt-1 clock fails',
			'rt-1 reach fails',
			'rt-1 reach fails'
		]);
	});

	it('is ended by another, and one at a time is under way', async () => {
		const { id } = sites.get('mute')!;
		const first = await proveSite(id, 'asked', ACTOR);
		const second = await proveSite(id, 'asked', ACTOR);
		if (!first.ok || !second.ok) throw new Error('not proven');
		await ended(id);
		const rows = await unwalled()('site_proof')
			.whereIn('id', [first.done.proofId, second.done.proofId])
			.select('id', 'state');
		const stateOf = (wanted: string) => rows.find((row) => row.id === wanted).state;
		expect(['ended', 'held']).to.include(stateOf(first.done.proofId));
		expect(stateOf(second.done.proofId)).to.equal('held');
		expect(await checkAgain(first.done.proofId, 1, ACTOR)).to.have.property('ok', false);
		expect(await checkAgain(second.done.proofId, 999, ACTOR)).to.deep.include({
			problem: 'There is no such check.'
		});
	});

	it('is for those who work at the customer, and shown to nobody else', async () => {
		const { id } = sites.get('none')!;
		for (const duty of ['auditor', 'reader'] as const) {
			const person = await newPerson({ [CUSTOMER]: duty });
			const refused = await runAs({ kind: 'person', personId: person.id }, async () =>
				proveSite(id, 'asked', await actorOf(person))
			);
			expect(refused).to.deep.include({ problem: 'You may not prove sites of this customer.' });
		}
		const technician = await newPerson({ [CUSTOMER]: 'technician' });
		const shown = await get(`/sites/${id}/proof`, technician);
		expect(await shown.text()).to.contain('Running equals intended');
		expect((await post(`/sites/${id}/proof?/prove`, {}, {}, technician)).status).to.equal(200);
		await ended(id);
		const stranger = await newPerson({ 'Marlstone Veterinary': 'engineer' });
		expect((await get(`/sites/${id}/proof`, stranger)).status).to.equal(404);
		expect(await runAs({ kind: 'person', personId: stranger.id }, () => lastProof(id))).to.equal(null);
	});

	it('is asked for and read by programs, of their customers alone', async () => {
		const { id } = sites.get('none')!;
		const token = await tokenFor(CUSTOMER);
		const ask = (path: string, method = 'GET', as = token) =>
			fetch(address(`/api/v1${path}`), { method, headers: { authorization: `Bearer ${as}` } });
		const begun = await ask(`/sites/${id}/proof`, 'POST');
		expect(begun.status).to.equal(201);
		expect(await begun.json()).to.have.keys('proofId', 'checks');
		await ended(id);
		const proof = v.parse(proofSchema, await (await ask(`/sites/${id}/proof`)).json());
		expect(proof).to.include({ siteId: id, state: 'held' });
		const list = (await (await ask('/sites?limit=200')).json()) as { items: unknown[] };
		const listed = v.parse(v.array(siteSchema), list.items);
		expect(listed.find((one) => one.id === id)).to.include({ standing: 'online' });
		const strange = await tokenFor('Marlstone Veterinary');
		expect((await ask(`/sites/${id}/proof`, 'GET', strange)).status).to.equal(404);
		expect((await ask(`/sites/${id}/proof`, 'POST', strange)).status).to.equal(409);
	});

	it('says of a unit that is away that it could not be asked @long', async () => {
		const { id, point, router } = sites.get('stranger')!;
		await point!.end();
		const act = await proveSite(id, 'asked', ACTOR);
		if (!act.ok) throw new Error(act.problem);
		const proof = await ended(id);
		const away = proof.checks.filter(({ positionName }) => positionName === 'ap-shop');
		expect(new Set(away.map(({ state, words }) => `${state}: ${words}`))).to.deep.equal(
			new Set(['unread: The unit is not connected: it could not be asked.'])
		);
		expect(
			proof.checks.find(({ title }) => title === checkTitle({ kind: 'configuration' }))!.state
		).to.be.oneOf(['holds', 'unread']);
		expect(router.isOn).to.equal(true);
	});

	it('fails where the hub is down, for what goes through it alone; and again not, once it is back @long', async () => {
		const { id } = sites.get('none')!;
		hub.isOn = false;
		const proof = await proven(id);
		expect(faultsIn(proof)).to.deep.equal([...WITHOUT_TUNNEL].sort());
		hub.isOn = true;
		fabric.look();
		expect((await proven(id)).state).to.equal('held');
	});

	it('wants the direct way where a tunnel between two sites is planned, and sees when it is gone the way of the hub @long', async () => {
		const [one, other] = [sites.get('none')!, sites.get('mute')!];
		await unwalled()('position')
			.where({ id: other.idOf('rt-1') })
			.update({ values: unwalled().raw(`values || '{"outside_address":"198.51.100.7"}'::jsonb`) });
		const tunnel = await network.tunnel(one.idOf('rt-1'), other.idOf('rt-1'));
		const before = await proven(one.id);
		expect(faultsIn(before)).to.include.members(['rt-1 tunnel fails', 'rt-1 path fails']);
		const direct = before.checks.find(({ kind, state }) => kind === 'path' && state === 'fails')!;
		expect(direct).to.include({ title: `10.42.${networkOf(other)}.1 directly` });
		expect(direct.words).to.match(/It does not go directly: the first step is 10\.255\.0\./);
		expect(before.checks.some(({ title }) => title === `Tunnel ${tunnel} up`)).to.equal(true);
	});
});

const networkOf = ({ router }: { readonly router: Box }): string =>
	/own-address 10\.42\.(\d+)\.1\/24/.exec(router.configuration)![1]!;
