import { expect } from 'chai';
import fc from 'fast-check';
import {
	chartsOf,
	FIGURES,
	figuresOf,
	figureKind,
	figureWords,
	grainFor,
	MOST_APART,
	MOST_PARTS,
	readKey,
	SPANS,
	spanIn,
	SLOT_MS,
	summed,
	unbroken,
	type Answers,
	type Figure,
	type Point
} from '.';

const at = (seconds: number) => 1_764_000_000_000 + seconds * 1000;
const port = (received: number, more: Record<string, string> = {}): Answers['ports'] => [
	{ port: 'wan0', state: 'up', speed: '1000', received: String(received), ...more }
];
/** The rate that two answers come to, in bit/s. */
function rate(
	first: number,
	second: number,
	{ seconds = 300, uptimes = [1e6, 1e6 + 300] as readonly (number | null)[], speed = '1000' } = {}
): number | undefined {
	const health = (uptime: number | null) => (uptime === null ? undefined : { uptime: String(uptime) });
	const before = figuresOf(null, { at: at(0), trip: null, health: health(uptimes[0]!), ports: port(first) });
	return figuresOf(before.counted, {
		at: at(seconds),
		trip: null,
		health: health(uptimes[1]!),
		ports: port(second, { speed })
	}).figures['received:wan0'];
}

describe('what a unit says of how it does', () => {
	it('becomes figures; what it does not say, or says out of all bounds, is none', () => {
		const { figures } = figuresOf(null, {
			at: at(0),
			trip: 12.3456789,
			health: { processor: '23', memory: '101', temperature: ' -4.5 ', signal: 'strong', uptime: '86400' },
			ports: [
				{ port: 'wan0', state: 'up', speed: '1000', received: '5' },
				{ port: 'lan1', state: 'down', speed: '0' },
				{ port: 'lan1', state: 'up' },
				{ port: '' }
			],
			tunnels: [{ tunnel: 'hub', state: 'yes' }, { tunnel: 'b' }]
		});
		expect(figures).to.deep.equal({
			trip: 12.3457,
			processor: 23,
			temperature: -4.5,
			uptime: 86400,
			'port:wan0': 100,
			'port:lan1': 0,
			'tunnel:hub': 100,
			'tunnel:b': 0
		});
	});

	it('a rate is what a counter moved by, in bits and seconds', () => {
		expect(rate(1000, 301_000)).to.equal(8000);
		expect(rate(1000, 1000)).to.equal(0);
		// Minutes late, but known
		expect(rate(0, MOST_APART * 1000, { seconds: MOST_APART, uptimes: [1e6, 1e6 + MOST_APART] })).to.equal(
			8000
		);
	});

	it('a gap is a gap: nothing is known over a long silence, or when time went back', () => {
		expect(rate(1000, 301_000, { seconds: MOST_APART + 1, uptimes: [1e6, 1e6 + MOST_APART + 1] })).to.equal(
			undefined
		);
		expect(rate(1000, 301_000, { seconds: 0 })).to.equal(undefined);
		expect(rate(1000, 301_000, { seconds: -5 })).to.equal(undefined);
	});

	it('a counter of 32 bits that wrapped goes on; one that was set back, or jumped, tells nothing', () => {
		expect(rate(2 ** 32 - 1000, 299_000)).to.equal(8000);
		expect(rate(2 ** 40, 5)).to.equal(undefined);
		expect(rate(3_000_000_000, 2_000_000_000)).to.equal(undefined);
		// 8 Tbit in 300 s over a port of 1 Gbit/s
		expect(rate(0, 1e12)).to.equal(undefined);
		expect(rate(0, 1e12, { speed: '100000' })).to.be.closeTo(2.66667e10, 1e6);
	});

	it('a unit that was started since counts from zero, over the time since then', () => {
		expect(rate(2 ** 40, 100_000, { uptimes: [1e6, 100] })).to.equal(8000);
		// It had just started when it was read before, too
		expect(rate(50, 100_000, { uptimes: [290, 100] })).to.equal(8000);
		// And one that does not say since when it runs is taken to have gone on
		expect(rate(1000, 301_000, { uptimes: [null, null] })).to.equal(8000);
		expect(rate(301_000, 1000, { uptimes: [null, null] })).to.equal(undefined);
	});

	const text = fc.oneof(
		fc.integer({ min: -10, max: 2 ** 40 }).map(String),
		fc.double({ noNaN: true }).map(String),
		fc.string({ maxLength: 20 }),
		fc.constantFrom('up', '9'.repeat(30), '1e999', '-0', '__proto__', 'two\nlines')
	);
	const row = (...names: readonly string[]) =>
		fc.record(Object.fromEntries(names.map((name) => [name, text])), { requiredKeys: [] });
	const answers = fc.record({
		at: fc.integer({ min: 0, max: 4_000_000 }),
		trip: fc.option(fc.double()),
		health: row('processor', 'memory', 'temperature', 'signal', 'clients', 'uptime'),
		ports: fc.array(row('port', 'state', 'speed', 'received', 'sent', 'errors'), { maxLength: 200 }),
		tunnels: fc.array(row('tunnel', 'state'), { maxLength: 200 })
	}) as fc.Arbitrary<Answers>;
	it('whatever it says, every figure is within its bounds, and there are no more than there can be', () => {
		fc.assert(
			fc.property(answers, answers, (one, other) => {
				const { counted } = figuresOf(null, one);
				const { figures } = figuresOf(counted, other);
				for (const [key, value] of Object.entries(figures)) {
					const read = readKey(key)!;
					expect(read, key).to.not.equal(null);
					expect(key).to.not.match(/\p{Cc}/u);
					const { least, most } = figureKind(read.figure);
					expect(value, key).to.be.within(least, most);
				}
				expect(Object.keys(figures).length).to.be.at.most(Object.keys(FIGURES).length + MOST_PARTS * 5);
			}),
			{ numRuns: 300 }
		);
	});

	it('a figure has six digits, those nearest to what was said', () => {
		fc.assert(
			fc.property(fc.double({ min: 1e-8, max: 600_000, noNaN: true }), (trip) => {
				const figure = figuresOf(null, { at: 0, trip }).figures.trip!;
				expect(Number(figure.toPrecision(6))).to.equal(figure);
				expect(figure).to.be.closeTo(trip, trip * 5.000001e-6);
			})
		);
	});

	it('is written as people read it', () => {
		const cases: [Figure, number, string][] = [
			['processor', 23.04, '23 %'],
			['received', 0, '0 bit/s'],
			['received', 1_400_000, '1.4 Mbit/s'],
			['sent', 999.4, '999 bit/s'],
			['signal', -87, '-87 dBm'],
			['errors', 0.25, '0.25 /s'],
			['clients', 12, '12'],
			['connected', 99.996, '99.99 %'],
			['connected', 100, '100 %']
		];
		for (const [figure, value, words] of cases) expect(figureWords(figure, value)).to.equal(words);
	});
});

describe('a chart', () => {
	const DAY = 86_400_000;
	const point = (when: number, mean: number, known = 1): Point => ({
		at: when,
		min: mean - 1,
		mean,
		max: mean + 1,
		known
	});

	it('is drawn from the finest grain that is kept for all of its span', () => {
		const now = 1000 * DAY;
		const kept = { reading: 2, hour: 30 };
		const grain = (days: number, back = days) =>
			grainFor({ from: now - back * DAY, to: now - (back - days) * DAY }, now, kept);
		expect([grain(1), grain(2), grain(7), grain(30), grain(365)]).to.deep.equal([
			'reading',
			'reading',
			'hour',
			'hour',
			'day'
		]);
		expect([grain(1, 3), grain(1, 40)]).to.deep.equal(['hour', 'day']);
		// The file of a chart that was opened ten minutes ago
		expect([grain(2, 2.007), grain(29, 30.007)]).to.deep.equal(['reading', 'hour']);
	});

	it('shows a gap as one', () => {
		const points = [0, 1, 2, 5, 6].map((slot) => point(slot * SLOT_MS, slot));
		expect(unbroken(points, 'reading').map((piece) => piece.length)).to.deep.equal([3, 2]);
		expect(unbroken([], 'reading')).to.deep.equal([]);
	});

	it('is summed up by what is known of each stretch', () => {
		expect(summed([point(0, 10, 1), point(1, 40, 0.5), point(2, 99, 0)])).to.deep.equal({
			min: 9,
			mean: 20,
			max: 41,
			known: 0.5
		});
		expect(summed([])).to.equal(null);
	});

	it('looks back over a span that can be looked at, whatever is asked for', () => {
		const now = 1_764_000_000_000;
		expect(spanIn({ span: 'week' }, now)).to.deep.equal({
			from: now - SPANS.week.length,
			to: now,
			name: 'week'
		});
		expect(spanIn({ span: 'constructor' }, now).name).to.equal('day');
		expect(spanIn({ from: String(now - DAY), to: String(now + DAY) }, now)).to.deep.equal({
			from: now - DAY,
			to: now,
			name: null
		});
		expect(spanIn({ from: String(now), to: String(now - DAY) }, now).name).to.equal('day');
		const given = fc.option(fc.oneof(fc.integer({ min: 0, max: 2 * now }).map(String), fc.string()));
		fc.assert(
			fc.property(given, given, given, (span, from, to) => {
				const found = spanIn({ span, from, to }, now);
				expect(found.to).to.be.at.most(now);
				expect(found.to - found.from).to.be.at.least(10 * 60_000);
			})
		);
	});

	it('asks one question; one that has no answer is not asked', () => {
		const of = (key: string, ...means: readonly number[]) => ({
			key,
			points: means.map((mean, slot) => ({ at: slot * SLOT_MS, min: mean, mean, max: mean, known: 1 }))
		});
		const charts = chartsOf([
			of('errors:a', 0, 0),
			of('port:a', 100, 100),
			of('port:b', 100, 0),
			of('memory', 5),
			of('processor', 7),
			of('nonsense', 1),
			...Array.from({ length: 9 }, (_, port) => of(`received:p${port}`, port))
		]);
		expect(
			charts.map(({ title, series, more }) => [title, series.map(({ key }) => key), more])
		).to.deep.equal([
			['How busy is it?', ['processor', 'memory'], 0],
			[
				'What comes in?',
				['received:p8', 'received:p7', 'received:p6', 'received:p5', 'received:p4', 'received:p3'],
				3
			],
			['Were its ports up?', ['port:b'], 0]
		]);
	});
});
