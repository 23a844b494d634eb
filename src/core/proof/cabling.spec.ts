import { expect } from 'chai';
import fc from 'fast-check';
import type { Cable } from '../plan';
import { cablesAsFound, compareCabling, type HeardPosition } from '.';

const PORTS = { uplink: 'wan0', lan: 'lan0', ap_feed: 'lan1', ap_feed_2: 'lan2' };
const mac = (n: number) => `02:00:00:00:00:0${n}`;
const heard = (port: string, n: number, neighbour_port: string, more = {}) => ({
	port,
	chassis: mac(n),
	neighbour_port,
	...more
});
const router = (rows: HeardPosition['heard']): HeardPosition => ({
	id: 'rt',
	name: 'rt-1',
	chassis: mac(1),
	ports: PORTS,
	heard: rows
});
const point = (n: number, rows: HeardPosition['heard']): HeardPosition => ({
	id: `ap${n}`,
	name: `ap-${n}`,
	chassis: mac(n),
	ports: { uplink: 'eth0' },
	heard: rows
});
const CABLES: readonly Cable[] = [
	{ near: { positionId: 'rt', port: 'uplink' }, far: null },
	{ near: { positionId: 'ap2', port: 'uplink' }, far: { positionId: 'rt', port: 'ap_feed' } },
	{ near: { positionId: 'ap3', port: 'uplink' }, far: { positionId: 'rt', port: 'ap_feed_2' } }
];
const RIGHT = [
	router([heard('lan1', 2, 'eth0'), heard('lan2', 3, 'eth0')]),
	point(2, [heard('eth0', 1, 'lan1')]),
	point(3, [heard('eth0', 1, 'lan2')])
];
const states = (positions: readonly HeardPosition[]) =>
	compareCabling(CABLES, positions).cables.map(({ state }) => state);

describe('cabling as it is found', () => {
	it('is right where both ends say so', () => {
		expect(states(RIGHT)).to.deep.equal(['unread', 'right', 'right']);
		expect(compareCabling(CABLES, RIGHT).strangers).to.deep.equal([]);
	});
	it('is half seen where one of two that were read says nothing of it', () => {
		expect(states([RIGHT[0]!, point(2, []), RIGHT[2]!])).to.deep.equal(['unread', 'half', 'right']);
		expect(states([RIGHT[0]!, point(2, null), RIGHT[2]!])).to.deep.equal(['unread', 'right', 'right']);
		expect(states([router(null), point(2, null), RIGHT[2]!])).to.deep.equal(['unread', 'unread', 'right']);
	});
	it('is elsewhere with the ports where it is, and the plan can follow', () => {
		const swapped = [
			router([heard('lan2', 2, 'eth0'), heard('lan1', 3, 'eth0')]),
			point(2, [heard('eth0', 1, 'lan2')]),
			point(3, [heard('eth0', 1, 'lan1')])
		];
		const compared = compareCabling(CABLES, swapped);
		expect(compared.cables[1]).to.deep.include({ state: 'elsewhere', found: { near: 'eth0', far: 'lan2' } });
		const followed = cablesAsFound(compared, swapped)!;
		expect(followed[1]!.far).to.deep.equal({ positionId: 'rt', port: 'ap_feed_2' });
		expect(compareCabling(followed, swapped).cables.map(({ state }) => state)).to.deep.equal([
			'unread',
			'right',
			'right'
		]);
		const odd = [router([heard('lan9', 2, 'eth0')]), point(2, null), point(3, null)];
		expect(cablesAsFound(compareCabling(CABLES, odd), odd)).to.equal(null);
	});
	it('is missing where nobody hears the other', () => {
		expect(states([router([]), point(2, []), RIGHT[2]!])).to.deep.equal(['unread', 'missing', 'half']);
	});
	it('names what is not ours, and ours that nobody planned beside each other', () => {
		const positions = [
			router([...RIGHT[0]!.heard!, { port: 'lan0', chassis: '06:00', name: 'toy', description: 'a box' }]),
			point(2, [heard('eth0', 1, 'lan1'), heard('eth1', 3, 'eth1')]),
			RIGHT[2]!
		];
		expect(compareCabling(CABLES, positions).strangers).to.deep.equal([
			{ positionId: 'rt', port: 'lan0', chassis: '06:00', name: 'toy', description: 'a box', own: null },
			{ positionId: 'ap2', port: 'eth1', chassis: mac(3), name: '', description: '', own: 'ap-3' }
		]);
	});
	it('tells each cable once, whatever is heard', () => {
		const row = fc.record({
			port: fc.constantFrom('lan1', 'lan2', 'eth0', ''),
			chassis: fc.constantFrom(mac(1), mac(2), mac(3), '06'),
			neighbour_port: fc.constantFrom('lan1', 'eth0', '')
		});
		const rows = fc.option(fc.array(row, { maxLength: 4 }));
		fc.assert(
			fc.property(rows, rows, rows, (a, b, c) => {
				const positions = [router(a), point(2, b), point(3, c)];
				const { cables } = compareCabling(CABLES, positions);
				expect(cables.map(({ cable }) => cable)).to.deep.equal(CABLES);
				for (const { state, found } of cables) expect(found !== null).to.equal(state === 'elsewhere');
			})
		);
	});
});
