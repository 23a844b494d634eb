import { expect } from 'chai';
import fc from 'fast-check';
import { findLinks, findThings, heardOf, sightingOf, type Sighting } from '.';

const addressesOf = (sightings: readonly Sighting[]) =>
	findThings(sightings).things.map((thing) => thing.sightings.map(({ address }) => address));

/** A small world of few values, so that they meet. */
const some = <Value>(...values: Value[]) => fc.option(fc.constantFrom(...values), { nil: null });
const anyHeard = fc.record({
	port: fc.constantFrom('1', '2', ''),
	chassis: fc.constantFrom('', '02:00:00:00:00:01', '0200.0000.0002', 'a name'),
	farPort: fc.constantFrom('', '1', '2'),
	name: fc.constantFrom('', 'one', 'a\u0007b'),
	description: fc.constant(''),
	address: fc.constantFrom('', '10.0.0.1', '10.0.0.9')
});
const anySightings = fc
	.uniqueArray(
		fc.record({
			address: fc.constantFrom('10.0.0.1', '10.0.0.2', '10.0.0.3', '10.0.0.4', '10.0.0.5'),
			serial: some('A', 'B'),
			hostKey: some('k1', 'k2'),
			mac: some('02:00:00:00:00:01', '02:00:00:00:00:02'),
			heard: fc.array(anyHeard, { maxLength: 4 })
		}),
		{ selector: ({ address }) => address, maxLength: 5 }
	)
	.map((all) => all.map((one) => sightingOf(one.address, { ...one, maker: 'm' })));

describe('what a survey takes for one unit', () => {
	it('is what shares its serial number, chassis, address or host key, and it says why', () => {
		const all = [
			sightingOf('10.0.0.1', { maker: 'm', serial: 'A', hostKey: 'k' }),
			sightingOf('10.0.0.2', { maker: 'm', serial: 'A', hostKey: 'k' }),
			sightingOf('10.0.0.3', {
				mac: '02:00:00:00:00:03',
				heard: [heardOf('1', { chassis: '0200.0000.0004', address: '10.0.0.4' })]
			}),
			sightingOf('10.0.0.4', { outcome: 'login' })
		];
		const { things } = findThings(all);
		expect(things).to.have.length(3);
		expect(things.find(({ sightings }) => sightings.length === 2)!.why).to.deep.equal([
			'The same serial number: 10.0.0.1, 10.0.0.2.'
		]);
		const locked = things.find(({ key }) => key === 'chassis 020000000004')!;
		expect(locked.sightings[0]!.outcome).to.equal('login');
		expect(locked.why).to.deep.equal(['The same address: 10.0.0.4, what 10.0.0.3 hears at 1.']);
	});

	it('never joins two with one serial number that differ in what is their own, and tells of them', () => {
		const { things, doubts } = findThings([
			sightingOf('10.0.0.1', { maker: 'm', serial: 'A', mac: '02:00:00:00:00:01', hostKey: 'k1' }),
			sightingOf('10.0.0.2', { maker: 'm', serial: 'A', mac: '02:00:00:00:00:02', hostKey: 'k2' })
		]);
		expect(things.map(({ key }) => key)).to.deep.equal(['chassis 020000000001', 'chassis 020000000002']);
		expect(doubts).to.have.length(1);
		expect(doubts[0]).to.match(/the same serial number \(m A\).*kept apart/);
	});

	it('never joins copies by their host key, nor neighbours by an address that is used at many places', () => {
		const copies = [
			sightingOf('10.0.0.1', { maker: 'm', serial: 'A', hostKey: 'k' }),
			sightingOf('10.0.0.2', { maker: 'm', serial: 'B', hostKey: 'k' })
		];
		expect(addressesOf(copies)).to.have.length(2);
		const many = ['1', '2'].map((end) =>
			sightingOf(`10.0.0.${end}`, {
				maker: 'm',
				serial: end,
				heard: [heardOf('lan0', { chassis: `02:00:00:00:00:1${end}`, address: '192.168.1.2' })]
			})
		);
		const { things, doubts } = findThings(many);
		expect(things).to.have.length(4);
		expect(doubts[0]).to.match(/same address \(192\.168\.1\.2\)/);
	});

	it('puts every sighting and every row into exactly one thing, whatever the order, and parts serial numbers', () => {
		fc.assert(
			fc.property(anySightings, fc.nat(), (sightings, turn) => {
				const { things, keyOf, keyOfHeard, doubts } = findThings(sightings);
				const rows = sightings.flatMap(({ heard }) => heard);
				expect(things.reduce((sum, thing) => sum + thing.sightings.length, 0)).to.equal(sightings.length);
				expect(things.reduce((sum, thing) => sum + thing.heardAs.length, 0)).to.equal(rows.length);
				expect(new Set(things.map(({ key }) => key)).size).to.equal(things.length);
				for (const thing of things) {
					expect(new Set(thing.sightings.flatMap(({ serial }) => serial ?? [])).size).to.be.at.most(1);
					for (const { address } of thing.sightings) expect(keyOf(address)).to.equal(thing.key);
					for (const row of thing.heardAs) expect(keyOfHeard(row)).to.equal(thing.key);
				}
				const turned = [...sightings.slice(turn % 5), ...sightings.slice(0, turn % 5)];
				const shape = (found: ReturnType<typeof findThings>) => [
					found.things.map((thing) => [thing.key, thing.sightings.map(({ address }) => address)]),
					found.doubts
				];
				expect(shape(findThings(turned))).to.deep.equal(shape({ things, keyOf, keyOfHeard, doubts }));
			})
		);
	});
});

describe('the cables of a survey', () => {
	const [one, two] = ['02:00:00:00:00:01', '02:00:00:00:00:02'];
	const linksOf = (...sightings: Sighting[]) => findLinks(findThings(sightings));

	it('are one where both ends tell of them, with both ports and the speed', () => {
		expect(
			linksOf(
				sightingOf('10.0.0.1', {
					mac: one,
					heard: [heardOf('p1', { chassis: two, farPort: 'u' })],
					speeds: { p1: 1000 }
				}),
				sightingOf('10.0.0.2', { mac: two, heard: [heardOf('u', { chassis: one, farPort: 'P1' })] })
			)
		).to.deep.equal([
			{
				from: { thing: 'chassis 020000000001', port: 'p1' },
				to: { thing: 'chassis 020000000002', port: 'u' },
				seen: 'both',
				speed: 1000
			}
		]);
	});

	it('say where only one end tells of them, and whether the other was asked', () => {
		const heard = [heardOf('p1', { chassis: two, farPort: 'u' })];
		const asked = linksOf(sightingOf('10.0.0.1', { mac: one, heard }), sightingOf('10.0.0.2', { mac: two }));
		expect(asked.map(({ seen }) => seen)).to.deep.equal(['one']);
		expect(linksOf(sightingOf('10.0.0.1', { mac: one, heard })).map(({ seen }) => seen)).to.deep.equal([
			'unasked'
		]);
	});

	it('are two between two units with two cables, and one that leads back is a loop', () => {
		const both = (mac: string) => ['a', 'b'].map((port) => heardOf(port, { chassis: mac, farPort: port }));
		expect(
			linksOf(
				sightingOf('10.0.0.1', { mac: one, heard: both(two) }),
				sightingOf('10.0.0.2', { mac: two, heard: both(one) })
			).map(({ from, to, seen }) => [from.port, to.port, seen])
		).to.deep.equal([
			['a', 'a', 'both'],
			['b', 'b', 'both']
		]);
		const [loop] = linksOf(
			sightingOf('10.0.0.1', { mac: one, heard: [heardOf('a', { chassis: one, farPort: 'b' })] })
		);
		expect(loop!.from.thing).to.equal(loop!.to.thing);
	});

	it('lose no row', () => {
		fc.assert(
			fc.property(anySightings, (sightings) => {
				const found = findThings(sightings);
				const told = new Set(
					found.things.flatMap(({ key, sightings: own }) =>
						own.flatMap(({ heard }) =>
							heard.map((row) => JSON.stringify([key, row.port, found.keyOfHeard(row), row.farPort]))
						)
					)
				);
				const ends = findLinks(found).reduce((sum, { seen }) => sum + (seen === 'both' ? 2 : 1), 0);
				expect(ends).to.equal(told.size);
			})
		);
	});
});
