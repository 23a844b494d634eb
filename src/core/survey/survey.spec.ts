import { expect } from 'chai';
import fc from 'fast-check';
import {
	changesBetween,
	drawSurvey,
	heardOf,
	isAllowed,
	mapOf,
	MOST_SEEDS,
	onwardFrom,
	pluggedIn,
	rangesOf,
	seedsFrom,
	sightingOf,
	THING_HEIGHT,
	THING_WIDTH,
	type Station
} from '.';

describe('where a survey begins and goes', () => {
	it('is at single addresses and all hosts of ranges, each once', () => {
		expect(seedsFrom(['10.0.0.0/30', '10.0.0.2', '10.0.0.9'], ['10.0.0.0/8'])).to.deep.equal({
			ok: true,
			addresses: ['10.0.0.1', '10.0.0.2', '10.0.0.9']
		});
	});

	it('is refused for too many, with their number, and for what lies outside', () => {
		const refused = (typed: string[]) => {
			const read = seedsFrom(typed, ['10.0.0.0/8']);
			return read.ok ? null : read.problem;
		};
		expect(refused(['10.0.0.0/12'])).to.match(/^These are 1,048,576 addresses.*4,096 at most/);
		expect(refused(['2001:db8::/64'])).to.match(/18,446,744,073,709,551,616 addresses/);
		expect(refused(['11.0.0.1'])).to.match(/^11\.0\.0\.1 lies in none/);
		expect(refused(['nonsense'])).to.match(/neither an address nor a range/);
		expect(refused([])).to.match(/where to begin/);
		const most = seedsFrom(['10.0.0.0/20'], ['10.0.0.0/8']);
		expect(most.ok && most.addresses.length).to.equal(MOST_SEEDS - 2);
	});

	it('is never outside of the ranges, whatever was heard', () => {
		const ranges = rangesOf(['10.0.0.0/24', '2001:db8::/64']);
		const address = fc.oneof(
			fc.ipV4(),
			fc.ipV6(),
			fc.string(),
			fc.nat(255).map((end) => `10.0.0.${end}`)
		);
		fc.assert(
			fc.property(fc.array(address, { maxLength: 20 }), (addresses) => {
				const heard = addresses.map((one) => heardOf('1', { address: one }));
				const onward = onwardFrom(heard, () => undefined, { ranges, depth: 1, deepest: 3 });
				expect(onward.go.every((one) => isAllowed(one, ranges))).to.equal(true);
				expect(onward.outside.some((one) => isAllowed(one, ranges))).to.equal(false);
				expect(new Set(onward.go).size).to.equal(onward.go.length);
			})
		);
	});

	it('is found by the address table where a neighbour does not say its address, and ends at the depth', () => {
		const heard = [heardOf('1', { chassis: '02:00:00:00:00:01' })];
		const how = { ranges: rangesOf(['10.0.0.0/24']), depth: 1, deepest: 2 };
		expect(onwardFrom(heard, () => '10.0.0.7', how).go).to.deep.equal(['10.0.0.7']);
		const far = onwardFrom(heard, () => '10.0.0.7', { ...how, depth: 2 });
		expect(far).to.deep.equal({ go: [], outside: [], tooFar: ['10.0.0.7'] });
	});
});

/** A switch at the edge of nothing known, with units on it that it alone may tell of. */
const lodges = (count: number) =>
	mapOf(
		[
			sightingOf('10.0.0.1', {
				maker: 'm',
				serial: 'SW',
				name: 'reception-sw',
				mac: '02:00:00:00:ff:ff',
				heard: Array.from({ length: count }, (_, index) =>
					heardOf(`p${index}`, {
						chassis: `02:00:00:00:00:${(index + 16).toString(16)}`,
						farPort: 'wan0',
						name: `lodge${index}-gw`,
						address: `10.0.1.${index}`
					})
				)
			}),
			sightingOf('10.0.1.0', {
				depth: 1,
				maker: 'm',
				serial: 'G0',
				name: 'lodge0-gw',
				version: '1',
				heard: [
					heardOf('lan0', { chassis: '02:00:00:00:aa:01', name: 'ap-hall' }),
					heardOf('lan1', { name: 'tv box' })
				]
			})
		],
		(_maker, serial) => (serial === 'G0' ? { unitId: 'u', site: 'Lodge Nought', position: 'gw' } : null)
	);

describe('what a survey found, as people see it', () => {
	it('is grouped by its site, its name, what it hangs on, or its network, in layers', () => {
		const { things } = lodges(2);
		const shown = Object.fromEntries(
			things.map(({ name, group, guessedBy, layer, outcome }) => [name, [group, guessedBy, layer, outcome]])
		);
		expect(shown).to.deep.equal({
			'reception-sw': ['reception', 'name', 0, 'in'],
			'lodge0-gw': ['Lodge Nought', null, 1, 'in'],
			'lodge1-gw': ['lodge1', 'name', 1, null],
			'ap-hall': ['Lodge Nought', 'neighbour', 2, null],
			'tv box': ['Lodge Nought', 'neighbour', 2, null]
		});
	});

	it('names building and floor where a name does', () => {
		const [thing] = mapOf([sightingOf('10.0.0.1', { name: 'mill-b2-f3-sw1' })], () => null).things;
		expect(thing!.group).to.equal('mill, building 2, floor 3');
	});

	it('changes in what is new, gone or says otherwise, and not at all when it is the same', () => {
		const { things } = lodges(2);
		const same = changesBetween(things, things);
		expect([...same.isNew, ...same.gone, ...Object.keys(same.changed)]).to.deep.equal([]);
		const later = lodges(3).things.map((thing) =>
			thing.name === 'lodge0-gw' ? { ...thing, version: '2' } : thing
		);
		const changes = changesBetween(
			things,
			later.filter(({ name }) => name !== 'tv box')
		);
		expect([...changes.isNew]).to.deep.equal(['chassis 020000000012']);
		expect(changes.gone.map(({ name }) => name)).to.deep.equal(['tv box']);
		expect(changes.changed).to.deep.equal({ 'chassis 020000000010': ['firmware 1 → 2'] });
	});

	it('is the same that let nobody in before, and says that it does now', () => {
		const heard = { chassis: '02:00:00:00:00:77', address: '10.0.0.2' };
		const seen = (more: object) =>
			mapOf(
				[sightingOf('10.0.0.1', { heard: [heardOf('1', heard)] }), sightingOf('10.0.0.2', more)],
				() => null
			).things;
		const [locked, open] = [
			seen({ outcome: 'login' }),
			seen({ maker: 'm', serial: 'X', mac: heard.chassis })
		];
		expect(changesBetween(locked, open)).to.deep.equal({
			isNew: new Set(),
			changed: { 'chassis 020000000077': ['lets in now'] },
			gone: []
		});
		// Without a MAC address of its own it is known by its serial number
		const bare = mapOf([sightingOf('10.0.0.2', { maker: 'm', serial: 'X' })], () => null).things;
		expect([...changesBetween(open, bare).isNew]).to.deep.equal([]);
	});
});

describe('the drawing of a survey', () => {
	const apart = (
		one: { x: number; y: number; width: number; height: number },
		other: { x: number; y: number; width: number; height: number }
	) =>
		one.x + one.width <= other.x ||
		other.x + other.width <= one.x ||
		one.y + one.height <= other.y ||
		other.y + other.height <= one.y;

	it('gives every thing a place of its own in its group, and every link a line', () => {
		fc.assert(
			fc.property(fc.integer({ min: 1, max: 40 }), fc.boolean(), (count, fold) => {
				const map = lodges(count);
				const folded = new Set(fold ? ['lodge1', 'Lodge Nought'] : []);
				const drawing = drawSurvey(map, folded);
				expect(drawing.groups.reduce((sum, group) => sum + group.count, 0)).to.equal(map.things.length);
				const boxes = drawing.groups.flatMap(({ things }) =>
					things.map(({ x, y }) => ({
						x: x - THING_WIDTH / 2,
						y: y - THING_HEIGHT / 2,
						width: THING_WIDTH,
						height: THING_HEIGHT
					}))
				);
				for (const all of [boxes, drawing.groups])
					for (const [index, one] of all.entries())
						for (const other of all.slice(index + 1)) expect(apart(one, other)).to.equal(true);
				for (const group of drawing.groups)
					for (const { x, y } of group.things) {
						expect(x - THING_WIDTH / 2).to.be.at.least(group.x);
						expect(y + THING_HEIGHT / 2).to.be.at.most(group.y + group.height);
					}
				const groupOf = new Map(map.things.map(({ key, group }) => [key, group]));
				const shown = map.links.filter(({ from, to }) => {
					const group = groupOf.get(from.thing)!;
					return group !== groupOf.get(to.thing) || !folded.has(group);
				});
				expect(drawing.lines.flatMap(({ links }) => links)).to.have.deep.members(shown);
			})
		);
	});

	it('leaves what somebody dragged where it was put', () => {
		const map = lodges(3);
		const { groups } = drawSurvey(map, new Set(), {
			groups: { reception: { x: 900, y: 700 } },
			things: { 'chassis 02000000ffff': { x: 300, y: 200 } }
		});
		const moved = groups.find(({ name }) => name === 'reception')!;
		expect([moved.x, moved.y]).to.deep.equal([900, 700]);
		expect([moved.things[0]!.x, moved.things[0]!.y]).to.deep.equal([1200, 900]);
	});
});

describe('what is plugged in where', () => {
	const at = new Date('2026-11-28T08:00:00Z');
	const row = (thing: string, port: string, mac: string, address: string | null = null): Station => ({
		thing,
		port,
		mac,
		address,
		seenAt: at
	});

	it('is the port that leads to no other unit, with the fewest behind it, and the addresses it has', () => {
		const found = pluggedIn(
			[
				row('core', 'p1', '02:00:00:00:00:aa'),
				row('core', 'p1', '02:00:00:00:00:bb'),
				row('edge', 'p7', '0200.0000.00aa'),
				row('edge', 'p7', '02:00:00:00:00:aa'),
				row('gw', '', '02-00-00-00-00-aa', '10.0.0.50'),
				row('gw', '', '02:00:00:00:00:cc', '10.0.0.51')
			],
			new Set(['core p1'])
		);
		expect(
			found.map(({ thing, port, addresses, isBehind }) => [thing, port, addresses, isBehind])
		).to.deep.equal([
			['edge', 'p7', ['10.0.0.50'], false],
			['core', 'p1', [], true]
		]);
	});
});
