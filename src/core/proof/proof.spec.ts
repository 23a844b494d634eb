import { expect } from 'chai';
import fc from 'fast-check';
import {
	CHECK_KINDS,
	checksFor,
	checkTitle,
	compareNeighbours,
	helpFor,
	judge,
	limitsAt,
	proofStanding,
	USUAL_LIMITS,
	type CheckState,
	type Expectation,
	type ProofPlan,
	type ProvenPosition
} from '.';

const HUB_TUNNEL = {
	name: 'one',
	secret: 's',
	own_address: '10.255.0.1/31',
	far_address: '10.255.0.0',
	endpoint: '203.0.113.10',
	networks: ['10.0.0.0/22', '10.40.0.0/15'],
	far_site: 'The mill',
	far_position: 'hub-1',
	is_hub: true,
	far_networks: ['10.0.0.0/22']
};
const ROUTER: ProvenPosition = {
	id: 'rt',
	name: 'rt-1',
	roleId: 'router',
	ports: { uplink: 'wan0', lan: 'lan0', ap_feed: 'lan1' },
	unit: { serial: 'R1', mac: '02:00:00:00:00:01' },
	targetVersion: '4.2.1',
	tunnels: [HUB_TUNNEL],
	networks: ['10.40.4.0/22'],
	names: ['192.0.2.53', 'time.example'],
	checks: []
};
const POINT: ProvenPosition = {
	...ROUTER,
	id: 'ap',
	name: 'ap-1',
	roleId: 'access-point',
	ports: { uplink: 'eth0' },
	unit: { serial: 'P1', mac: '02:00:00:00:00:02' },
	tunnels: [],
	networks: []
};
const PLAN: ProofPlan = {
	positions: [ROUTER, POINT],
	cables: [
		{ near: { positionId: 'rt', port: 'uplink' }, far: null },
		{ near: { positionId: 'ap', port: 'uplink' }, far: { positionId: 'rt', port: 'ap_feed' } }
	],
	others: [{ name: 'Two', answers: '10.40.8.1' }]
};
const titles = (plan: ProofPlan, id: string) =>
	checksFor(plan).flatMap(({ positionId, expects }) => (positionId === id ? [checkTitle(expects)] : []));
const answered = (...rows: Record<string, string>[]) => ({
	rows,
	text: '',
	askedAt: 1_000,
	answeredAt: 2_000
});
type Judged = Exclude<Expectation, { kind: 'configuration' }>;
const state = (expects: Judged, ...rows: Record<string, string>[]) => judge(expects, answered(...rows)).state;
const words = (expects: Judged, ...rows: Record<string, string>[]) => judge(expects, answered(...rows)).words;

describe('the checks of a site', () => {
	it('follow from its plan alone, what explains the others first', () => {
		expect(titles(PLAN, 'rt')).to.deep.equal([
			'The unit that is bound here',
			'Firmware as wanted',
			'Running equals intended',
			'Port wan0 is up',
			'Power for what hangs on it',
			'Cabled as planned',
			'time.example resolves',
			'The right time',
			'Addresses left for clients',
			'Tunnel one up',
			'Route to 10.0.0.0/22',
			'Route to 10.40.0.0/15',
			'10.0.0.1 answers',
			'10.40.8.1 answers',
			'10.40.8.1 by way of the hub'
		]);
		expect(titles(PLAN, 'ap')).to.deep.equal([
			'The unit that is bound here',
			'Firmware as wanted',
			'Running equals intended',
			'Port eth0 is up',
			'Cabled as planned',
			'time.example resolves',
			'The right time'
		]);
	});

	it('ask of cables only what both ends have units for', () => {
		const unbound = { ...PLAN, positions: [ROUTER, { ...POINT, unit: null }] };
		expect(titles(unbound, 'rt')).to.not.include.members(['Cabled as planned', 'Power for what hangs on it']);
		expect(titles(unbound, 'ap')).to.deep.equal([]);
	});

	it('want a site with a tunnel of ours to be reached directly, and no hub to answer for its sites', () => {
		const direct = {
			...HUB_TUNNEL,
			name: 'direct',
			far_site: 'Two',
			far_address: '10.255.0.4',
			is_hub: false,
			far_networks: ['10.40.8.0/22'],
			networks: ['10.40.8.0/22']
		};
		const both = { ...PLAN, positions: [{ ...ROUTER, tunnels: [HUB_TUNNEL, direct] }, POINT] };
		expect(titles(both, 'rt'))
			.to.include('10.40.8.1 directly')
			.and.not.include('10.40.8.1 by way of the hub');
		const sites = ['a', 'b'].map((name) => ({ ...direct, name, far_site: name }));
		const hub = { ...PLAN, positions: [{ ...ROUTER, tunnels: sites }], others: [] };
		expect(titles(hub, 'rt').filter((title) => /Tunnel|Route|answers/.test(title))).to.deep.equal([]);
	});

	it('leave out what somebody turned off', () => {
		const limits = { ...USUAL_LIMITS, off: ['clock', 'reach'] as const };
		const kinds = checksFor({ ...PLAN, positions: [{ ...ROUTER, limits }] }).map(
			({ expects }) => expects.kind
		);
		expect(kinds).to.include('tunnel').and.not.include.members(['clock', 'reach']);
	});

	it('are as strict as the pattern of the site says, before the profile', () => {
		expect(limitsAt(null, null)).to.deep.equal(USUAL_LIMITS);
		expect(limitsAt({ off: ['clock'], loss: 20, speed: 10 }, { off: ['name'], loss: 5 })).to.deep.equal({
			...USUAL_LIMITS,
			off: ['clock', 'name'],
			loss: 5,
			speed: 10
		});
	});

	it('have a word of help each', () => {
		for (const kind of Object.keys(CHECK_KINDS) as (keyof typeof CHECK_KINDS)[])
			expect(helpFor(kind)).to.match(/\.$/);
	});
});

describe('an answer to a check', () => {
	const reach: Judged = { kind: 'reach', host: '10.0.0.1', loss: 10, milliseconds: 100 };
	it('has figures, and is held against the limits', () => {
		expect(judge(reach, answered({ received: '9', sent: '10', milliseconds: '18' }))).to.deep.equal({
			state: 'holds',
			words: '10 % are lost, 18 ms there and back.',
			figures: [
				{ name: 'loss', value: 10, unit: '%' },
				{ name: 'round trip', value: 18, unit: 'ms' }
			]
		});
		expect(words(reach, { received: '7', sent: '10' })).to.equal(
			'30 % of the answers are lost; 10 % are allowed.'
		);
		expect(words(reach, { received: '10', sent: '10', milliseconds: '450' })).to.match(/takes 450 ms/);
		expect(state(reach, { received: 'yes', lost: '0', sent: '10' })).to.equal('holds');
		expect(state(reach, { lost: '10', sent: '10' })).to.equal('fails');
		expect(state(reach, { received: 'false' })).to.equal('fails');
		expect(state(reach, { received: 'true' })).to.equal('holds');
		expect(state(reach)).to.equal('unread');
	});

	it('about tunnels, routes and paths names what is otherwise', () => {
		const tunnel: Judged = { kind: 'tunnel', tunnel: 'one' };
		expect(state(tunnel, { tunnel: 'one', state: 'up' })).to.equal('holds');
		expect(words(tunnel, { tunnel: 'one' })).to.equal('It is down.');
		expect(words(tunnel, { tunnel: 'two', state: 'up' })).to.equal('It knows no tunnel one.');
		const route: Judged = { kind: 'route', prefix: '10.40.0.0/15', tunnel: 'one', next: '10.255.0.0' };
		expect(state(route, { prefix: '10.40.0.0/15', next: '10.255.0.0' })).to.equal('holds');
		expect(words(route, { prefix: '10.40.0.0/15', via: 'wan0' })).to.match(/goes by wan0/);
		expect(words(route, { prefix: '10.40.0.0/16', via: 'one' })).to.equal('It has no route to 10.40.0.0/15.');
		const path: Judged = { kind: 'path', host: '10.40.8.1', way: 'hub', next: '10.255.0.0' };
		expect(state(path, { hop: '10.255.0.0' }, { hop: '10.40.8.1' })).to.equal('holds');
		expect(words(path, { hop: '10.255.0.9' }, { hop: '10.40.8.1' })).to.match(/not go by the hub/);
		expect(words({ ...path, way: 'direct' }, { hop: '10.255.0.9' })).to.match(/not go directly/);
		expect(words(path, { hop: '10.255.0.0' }, {})).to.equal('The way ends without an answer.');
	});

	it('about the time allows for how long the question took, and no more', () => {
		const clock: Judged = { kind: 'clock', seconds: 1 };
		const at = (time: number) => ({ time: new Date(time).toISOString() });
		for (const time of [0, 1_500, 3_000]) expect(state(clock, at(time)), String(time)).to.equal('holds');
		for (const time of [-1, 3_001]) expect(state(clock, at(time)), String(time)).to.equal('fails');
		expect(words(clock, at(-90_000))).to.equal('Its clock is off by 91.0 s.');
		expect(state(clock, { time: 'noon' })).to.equal('unread');
	});

	it('about ports, power, addresses and names says which', () => {
		const port: Judged = { kind: 'port', port: 'wan0', speed: 100 };
		expect(state(port, { port: 'wan0', state: 'up', speed: '1000' })).to.equal('holds');
		expect(words(port, { port: 'wan0', state: 'up', speed: '10' })).to.match(/came up at 10 Mbit\/s/);
		expect(words(port, { port: 'wan0', state: 'down' })).to.equal('Port wan0 is down.');
		expect(state(port, { port: 'wan1' })).to.equal('unread');
		const power: Judged = { kind: 'power', ports: [{ port: 'lan1', feeds: 'ap-1' }] };
		expect(state(power, { port: 'lan1', power: 'feeding' })).to.equal('holds');
		expect(words(power, { port: 'lan1' })).to.match(/lan1 gives no power, and should feed ap-1/);
		expect(words({ kind: 'clients', least: 1 }, { name: 'lan0', free: '0' })).to.equal('0 left in lan0.');
		expect(state({ kind: 'clients', least: 1 })).to.equal('fails');
		expect(state({ kind: 'clients', least: 1 }, { free: 'many' })).to.equal('unread');
		expect(state({ kind: 'name', name: 'a.example' }, {})).to.equal('fails');
	});

	it('of any kind is read whatever it says, and never makes something hold that says nothing', () => {
		const expectations = checksFor(PLAN).flatMap(({ expects }) =>
			expects.kind === 'configuration' ? [] : [expects]
		);
		const keys = [
			'tunnel',
			'state',
			'prefix',
			'hop',
			'port',
			'chassis',
			'free',
			'received',
			'sent',
			'time',
			'serial'
		];
		const row = fc.dictionary(fc.constantFrom(...keys), fc.string({ maxLength: 12 }));
		fc.assert(
			fc.property(fc.constantFrom(...expectations), fc.array(row, { maxLength: 6 }), (expects, rows) => {
				expect(['holds', 'fails', 'unread']).to.include(judge(expects, answered(...rows)).state);
				expect(judge(expects, answered()).state).to.not.equal('holds');
			})
		);
	});
});

describe('what is heard at ports', () => {
	const CABLES = [
		{ port: 'lan1', far: 'ap-a', farPort: 'eth0', chassis: '02:00:00:00:00:0A' },
		{ port: 'lan2', far: 'ap-b', farPort: 'eth0', chassis: '02:00:00:00:00:0b' }
	];
	const heard = (port: string, chassis: string, more = {}) => ({
		port,
		chassis,
		neighbour_port: 'eth0',
		...more
	});
	const told = (...rows: Record<string, string>[]) =>
		compareNeighbours(CABLES, rows).map((one) => `${one.state}: ${one.words}`);

	it('is right in whatever form hardware addresses are written', () => {
		expect(told(heard('lan2', '0200.0000.000B'), heard('lan1', '02-00-00-00-00-0a'))).to.deep.equal([
			'right: ap-a is in port lan1.',
			'right: ap-b is in port lan2.'
		]);
	});
	it('names a wrong port, what is missing, and what is not ours', () => {
		expect(
			told(
				heard('lan3', '02:00:00:00:00:0a'),
				heard('lan4', '06:00:00:00:00:01', { name: 'back', description: 'a switch' })
			)
		).to.deep.equal([
			'wrong port: ap-a is in port lan3, planned lan1.',
			'missing: ap-b is not in port lan2.',
			'unknown: In port lan4 is back (a switch), which is not planned.'
		]);
		expect(told(heard('lan1', '06:00:00:00:00:01'), heard('lan2', '02:00:00:00:00:0b'))).to.deep.equal([
			'wrong unit: In port lan1 is 06:00:00:00:00:01, planned ap-a.',
			'right: ap-b is in port lan2.'
		]);
		expect(told(heard('lan1', '02:00:00:00:00:0a', { neighbour_port: 'eth1' }))[0]).to.equal(
			'wrong port: Port lan1 leads to port eth1 of ap-a, planned eth0.'
		);
	});
	it('sees two that were swapped as two wrong ports', () => {
		expect(told(heard('lan2', '02:00:00:00:00:0a'), heard('lan1', '02:00:00:00:00:0b'))).to.deep.equal([
			'wrong port: ap-a is in port lan2, planned lan1.',
			'wrong port: ap-b is in port lan1, planned lan2.'
		]);
	});
	it('tells each cable once and each stranger once, whatever is heard', () => {
		const rows = fc.array(
			fc.record({
				port: fc.constantFrom('lan1', 'lan2', 'lan3'),
				chassis: fc.constantFrom('02:00:00:00:00:0a', '02:00:00:00:00:0b', '06:00:00:00:00:01', '')
			}),
			{ maxLength: 6 }
		);
		fc.assert(
			fc.property(rows, (all) => {
				const found = compareNeighbours(CABLES, all);
				expect(found.length).to.be.at.least(CABLES.length);
				const explained = found.filter(({ state: one }) => one !== 'missing').length;
				expect(explained).to.equal(all.length);
			})
		);
	});
});

describe('a proof', () => {
	it('holds when every check does, or cannot be asked; and nothing holds without a check that did', () => {
		expect(proofStanding([])).to.equal('failed');
		expect(proofStanding(['cannot'])).to.equal('failed');
		expect(proofStanding(['holds', 'cannot'])).to.equal('held');
		expect(proofStanding(['holds', 'asking', 'fails'])).to.equal('open');
		const states = fc.array(fc.constantFrom<CheckState>('holds', 'fails', 'unread', 'cannot', 'waiting'));
		fc.assert(
			fc.property(states, (all) => {
				const held = proofStanding(all) === 'held';
				expect(held).to.equal(
					all.includes('holds') && !all.some((one) => ['fails', 'unread', 'waiting'].includes(one))
				);
			})
		);
	});
});
