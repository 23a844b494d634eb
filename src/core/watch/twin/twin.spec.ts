import { expect } from 'chai';
import fc from 'fast-check';
import { parseConfig, type Grammar, type NetworkReads } from '../../config';
import { expectation } from '../expectation';
import type { ProofPlan, ProvenPosition } from '../../proof';
import type { TunnelEnd } from '../../plan';
import { answers, otherEnd, rehearsalWords, rehearse, wiringOf, type Station } from '.';
import type { SiteToRehearse, Twin } from '.';
import { parseAddress } from '../../address';

const NETWORK: NetworkReads = {
	outside: { address: ['port wan', 'address *'], gateway: ['way default *'] },
	segments: [{ at: ['port *'], address: ['address *'], range: ['gives *'] }],
	tunnels: {
		at: ['tunnel *'],
		far: ['far *'],
		secret: ['secret *'],
		address: ['address *'],
		carries: ['carries *']
	}
};
const GRAMMAR: Grammar = {
	types: { any: '.+' },
	words: {
		name: { value: 'any' },
		journal: { since: '2' },
		way: { value: 'any' },
		port: {
			value: 'any',
			inside: { address: { value: 'any' }, gives: { value: 'any' }, quiet: { since: '2' } }
		},
		tunnel: {
			value: 'any',
			inside: {
				far: { value: 'any' },
				secret: { value: 'any' },
				address: { value: 'any' },
				carries: { value: 'any' }
			}
		}
	},
	lifelines: { uplink: [], route: [], names: [], time: [], home: [], login: [] },
	cuts: [],
	risks: [],
	network: NETWORK
};
const known = expectation([], 30);
const KNOWN = { calling: known, identity: known, firmware: known, configuration: known, proof: known };

const treeOf = (text: string) => {
	const read = parseConfig(text, 'indented');
	if (!read.ok) throw new Error(read.problems[0]!.message);
	return read.tree;
};
const LAN = 'port lan\n  address 10.1.0.1/24\n  gives 10.1.0.50 to 10.1.0.99\n';
const TUNNEL = 'tunnel t\n  far 203.0.113.10\n  secret "s"\n  address 10.9.0.1/31\n  carries 10.0.0.0/22\n';

function twin(text: string, more: Partial<Twin> = {}): Twin {
	const tree = treeOf(text);
	return {
		positionId: 'gw',
		name: 'gw-1',
		siteId: 's',
		siteName: 'Here',
		roleId: 'gateway',
		profileId: 'p',
		dialect: 'indented',
		unit: { id: 'u', serial: 'A1' },
		isOnline: false,
		model: {
			name: 'Model',
			ports: { uplink: 'wan', lan: 'lan', ap_feed: 'feed' },
			grammar: GRAMMAR,
			versions: [
				{ version: '1', from: [] },
				{ version: '2', from: ['1'] },
				{ version: '3', from: ['2'] }
			],
			room: 100
		},
		version: '2',
		target: null,
		images: new Map([
			['1', 10],
			['2', 10],
			['3', 10]
		]),
		made: {
			ok: true,
			tree,
			lines: text
				.split('\n')
				.map((line, index) => ({ text: line, piece: 0, sources: [index + 1], fields: [] })),
			pieces: [{ name: 'Part', revision: 4, partId: 'part' }],
			stranding: []
		},
		wiring: wiringOf(tree, NETWORK, {}),
		known: KNOWN,
		...more
	};
}
const proven = (one: Twin, more: Partial<ProvenPosition> = {}): ProvenPosition => ({
	id: one.positionId,
	name: one.name,
	roleId: one.roleId,
	ports: one.model!.ports,
	unit: { serial: 'A1', mac: null },
	targetVersion: null,
	tunnels: [],
	networks: [],
	names: [],
	checks: [],
	...more
});
const site = (
	twins: readonly Twin[],
	more: Partial<SiteToRehearse> = {},
	plan: Partial<ProofPlan> = {}
): SiteToRehearse => ({
	id: 's',
	name: 'Here',
	twins,
	far: [],
	cabling: [],
	doubled: [],
	plan: { positions: twins.map((one) => proven(one)), cables: [], others: [], ...plan },
	...more
});
const stops = (one: SiteToRehearse) =>
	rehearse(one).problems.map(({ position, step, line }) => `${position} ${step} ${line}`);

const HUB_END: TunnelEnd = {
	name: 't',
	secret: 's',
	own_address: '10.9.0.1/31',
	far_address: '10.9.0.0',
	endpoint: '203.0.113.10',
	networks: ['10.0.0.0/22'],
	far_networks: ['10.0.0.0/22'],
	is_hub: true,
	far_site: 'Hub',
	far_position: 'hub-1'
};
const hub = (text: string, isUp = true): Station => ({
	id: 'hub',
	name: 'hub-1',
	siteName: 'Hub',
	wiring: wiringOf(treeOf(text), NETWORK, {}),
	isUp
});
const HUB_TEXT =
	'port wan\n  address 203.0.113.10/28\nport lan\n  address 10.0.0.1/22\n' +
	'tunnel t\n  secret "s"\n  address 10.9.0.0/31\n  carries 10.1.0.0/24\n';
const behindHub = (text: string, far: Station) => {
	const one = twin(text);
	return site(
		[one],
		{ far: [far] },
		{ positions: [proven(one, { tunnels: [HUB_END], networks: ['10.1.0.0/24'] })] }
	);
};

describe('a twin', () => {
	it('comes online when nothing stands in its way, and says when', () => {
		const rehearsal = rehearse(site([twin(LAN)]));
		expect(rehearsal.problems).to.deep.equal([]);
		expect(rehearsal.seconds!.median).to.be.greaterThan(60);
		expect(rehearsal.units[0]!.steps.map(({ step }) => step)).to.deep.equal([
			'calling',
			'identity',
			'configuration',
			'proof'
		]);
		expect(rehearsalWords(rehearsal)).to.match(/^Would come online, about \d+ min after power\.$/);
	});

	it('knows what the firmware knows that it will run by then', () => {
		const text = `name x\njournal\n${LAN}`;
		expect(stops(site([twin(text, { version: '1' })]))).to.deep.equal(['gw-1 configuration 2']);
		expect(stops(site([twin(text, { version: '2' })]))).to.deep.equal([]);
		expect(stops(site([twin(text, { version: '1', target: '3' })]))).to.deep.equal([]);
		const inside = `port lan\n  quiet\n`;
		const [problem] = rehearse(site([twin(inside, { version: '1' })])).problems;
		expect(problem!.words).to.equal(
			'It would reject line 2: Firmware 1 does not know the word “quiet” inside “port lan”.'
		);
		expect(problem!.behind).to.deep.equal({ name: 'Part', revision: 4, partId: 'part', line: 2 });
		expect(problem!.mend.href).to.equal('/profiles/parts/part?line=2&dialect=indented');
	});

	it('takes the way of upgrades that its pack allows, and stops where an image is missing or too large', () => {
		const to3 = (more: Partial<Twin>) => rehearse(site([twin(LAN, { version: '1', target: '3', ...more })]));
		expect(to3({}).units[0]!.steps.find(({ step }) => step === 'firmware')!.words).to.equal('1 → 2 → 3');
		expect(to3({ images: new Map([['3', 10]]) }).problems[0]).to.include({
			step: 'calling',
			words: 'There is no image of version 2 for this model.'
		});
		expect(to3({ images: new Map([['2', 10], ['3', 101]]) }).problems[0]).to.include({ step: 'firmware' }); // prettier-ignore
		expect(to3({ version: '3', target: '2' }).problems[0]!.words).to.match(/no way from firmware 3 to 2/);
		const assumed = to3({ version: null });
		expect(assumed.problems).to.deep.equal([]);
		expect(assumed.assumed).to.deep.equal(['gw-1: nobody said which firmware it comes with; taken to be 3.']);
		expect(to3({ version: '3', target: null, images: new Map() }).assumed).to.deep.equal([]);
		expect(to3({ version: '0.9', target: null }).assumed).to.deep.equal([
			'gw-1: its pack does not list firmware 0.9; read as its newest.'
		]);
	});

	it('rejects what no router takes: a range outside its network, networks that overlap', () => {
		expect(
			stops(site([twin('port lan\n  address 10.1.0.1/24\n  gives 10.2.0.5 to 10.2.0.9\n')]))
		).to.deep.equal(['gw-1 configuration 3']);
		expect(stops(site([twin(`${LAN}port more\n  address 10.1.0.129/25\n`)]))).to.deep.equal([
			'gw-1 configuration 5'
		]);
		const unheard = 'port wan\n  address 198.51.100.2/29\nway default 198.51.100.9\n';
		expect(stops(site([twin(unheard)]))).to.deep.equal(['gw-1 proof 3']);
		expect(stops(site([twin(unheard.replace('.9', '.1'))]))).to.deep.equal([]);
	});

	it('is given nothing that cannot be computed, or that would strand it', () => {
		const problem = { kind: 'missing', message: 'No value.', piece: null, line: null, column: null, field: 'x', scope: 'site', at: null } as const; // prettier-ignore
		const [first] = rehearse(site([twin('', { made: { ok: false, problems: [problem] } })])).problems;
		expect(first).to.include({ step: 'calling', words: 'No value.', field: 'x' });
		const stranding = twin(LAN);
		expect(
			stops(site([{ ...stranding, made: { ...stranding.made, stranding: ['Cut off.'] } as Twin['made'] }]))
		).to.deep.equal(['gw-1 calling null']);
	});

	it('gets power only from a port that gives it', () => {
		const gateway = twin(LAN);
		const point = twin(LAN, {
			positionId: 'ap',
			name: 'ap-1',
			roleId: 'access-point',
			wiring: wiringOf([], undefined, {})
		});
		const plugged = (port: string) =>
			site(
				[gateway, point],
				{},
				{
					cables: [{ near: { positionId: 'ap', port: 'uplink' }, far: { positionId: 'gw', port } }]
				}
			);
		expect(stops(plugged('ap_feed'))).to.deep.equal([]);
		expect(stops(plugged('lan'))).to.deep.equal(['ap-1 calling null']);
		expect(rehearse(plugged('lan')).problems[0]!.mend.href).to.equal('/sites/s?cabling');
	});
});

describe('the computed network', () => {
	it('has a tunnel where both ends agree, and says why it has none', () => {
		const text = `${LAN}${TUNNEL}`;
		expect(stops(behindHub(text, hub(HUB_TEXT)))).to.deep.equal([]);
		const words = (far: Station) => rehearse(behindHub(text, far)).problems[0]!;
		expect(words(hub(HUB_TEXT.replace('"s"', '"other"'))).words).to.match(/another secret/);
		expect(words(hub(HUB_TEXT, false)).words).to.match(/is not online/);
		expect(words(hub('port wan\n  address 203.0.113.10/28\n')).words).to.match(/nobody at its other end/);
		expect(words(hub(HUB_TEXT.replace('203.0.113.10', '203.0.113.11'))).words).to.match(
			/reached from outside/
		);
		expect(words(hub(HUB_TEXT, false)).checks).to.deep.equal([
			'Tunnel t up',
			'Route to 10.0.0.0/22',
			'10.0.0.1 answers'
		]);
	});

	it('loses what is sent back to another site with the same network', () => {
		const twice = hub(
			HUB_TEXT.replace(
				'tunnel t\n',
				'tunnel a\n  secret "a"\n  address 10.9.0.2/31\n  carries 10.1.0.0/24\ntunnel t\n'
			)
		);
		const other: Station = {
			id: 'other',
			name: 'gw-1',
			siteName: 'There',
			wiring: wiringOf(
				treeOf(
					`${LAN}${TUNNEL.replace('tunnel t', 'tunnel a').replace('"s"', '"a"').replace('10.9.0.1', '10.9.0.3')}`
				),
				NETWORK,
				{}
			),
			isUp: true
		};
		const one = behindHub(`${LAN}${TUNNEL}`, twice);
		expect(stops(one)).to.deep.equal([]);
		const [problem] = rehearse({ ...one, far: [twice, other] }).problems;
		expect(problem).to.include({ step: 'proof', line: 2 });
		expect(problem!.words).to.match(/goes to There: 10\.1\.0\.0\/24 is given there as well/);
	});

	it('ends every way, whatever the configurations say', () => {
		const octet = fc.integer({ min: 0, max: 3 });
		const address = fc.tuple(octet, octet).map(([a, b]) => `10.${a}.0.${b}`);
		const tunnel = fc
			.tuple(address, address, fc.constantFrom('"a"', '"b"'))
			.map(
				([own, carries, secret]) =>
					`tunnel t${own}${carries}\n  far 203.0.113.10\n  secret ${secret}\n  address ${own}/31\n  carries ${carries}/16\n`
			);
		const text = fc
			.tuple(address, fc.array(tunnel, { maxLength: 4 }))
			.map(
				([own, tunnels]) =>
					`port wan\n  address 203.0.113.10/28\nport lan\n  address ${own}/24\n${tunnels.join('')}`
			);
		fc.assert(
			fc.property(fc.array(text, { minLength: 1, maxLength: 5 }), address, (texts, to) => {
				const all = texts.map((one, index): Station => ({ ...hub(one), id: String(index) }));
				for (const one of all) {
					const way = answers(one, parseAddress(to)!, all);
					expect(way.hops.length).to.be.at.most(17);
					if (way.answered) expect(way.arrived).to.equal(true);
					for (const said of one.wiring.tunnels) {
						const end = otherEnd(one, said, all);
						// Both ends say the same of it
						if (!('kind' in end)) expect('kind' in otherEnd(end.station, end.tunnel, all)).to.equal(false);
					}
				}
			})
		);
	});
});
