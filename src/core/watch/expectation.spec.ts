import { expect } from 'chai';
import * as fc from 'fast-check';
import { ENOUGH, expectation, limitsOf } from './expectation';
import { logNormalQuantile, normalQuantile, type Lasted } from './survival';

const ended = (...times: number[]): Lasted[] => times.map((seconds) => ({ seconds, hasEnded: true }));
const open = (...times: number[]): Lasted[] => times.map((seconds) => ({ seconds, hasEnded: false }));
const many = (count: number, seconds: number) =>
	ended(...Array.from({ length: count }, (_, n) => seconds + n));

/** A stream of numbers from 0 to 1 that is the same each time: mulberry32. */
function randomness(seed: number): () => number {
	let state = seed;
	return () => {
		state = (state + 0x6d2b79f5) | 0;
		let t = Math.imul(state ^ (state >>> 15), 1 | state);
		t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
		return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
	};
}

describe('what is normal for a step', () => {
	it('is what its pack says while nobody has been there', () => {
		const { median, late, stalled, own, borrowed } = expectation([[], [], []], 120);
		expect(median).to.be.closeTo(120, 8);
		expect(late).to.be.within(200, 260);
		expect(stalled).to.be.greaterThan(late);
		expect([own, borrowed]).to.deep.equal([0, 0]);
	});

	it('is its own runs’ alone as soon as there are enough, and else borrowed, and says how many stand behind it', () => {
		const alone = expectation([many(ENOUGH, 100), many(500, 1_000)], 5);
		expect(alone).to.include({ own: ENOUGH, borrowed: 0 });
		expect(alone.late).to.be.below(140);
		const few = expectation([many(3, 100), many(500, 1_000)], 5);
		expect(few).to.include({ own: 3, borrowed: 500 });
		expect(few.median).to.be.greaterThan(1_000);
		const some = expectation([many(20, 100), many(500, 1_000)], 5);
		expect(some.median).to.be.below(140);
		expect(some.late).to.be.greaterThan(1_000);
	});

	it('leaves out what hangs, and keeps what is only open', () => {
		const well = expectation([many(60, 100)], 100);
		const hung = expectation([[...many(60, 100), ...open(9_000, 90_000, 900_000)]], 100);
		expect(hung).to.deep.equal(well);
		const going = expectation([[...many(60, 100), ...open(150, 155)]], 100);
		expect(going.late).to.be.at.least(well.late);
	});

	it('never is late before half are done, nor stalled before late, whatever happened', () =>
		fc.assert(
			fc.property(
				fc.array(
					fc.array(
						fc.record({ seconds: fc.double({ min: 0, max: 1e6, noNaN: true }), hasEnded: fc.boolean() }),
						{
							maxLength: 50
						}
					),
					{ maxLength: 4 }
				),
				fc.double({ min: 0.1, max: 1e5, noNaN: true }),
				(groups, usual) => {
					const found = expectation(groups, usual);
					expect(found.median).to.be.at.most(found.late);
					expect(found.late).to.be.at.most(found.stalled);
					expect(found.stalled).to.satisfy(Number.isFinite);
				}
			)
		));

	it('is finite for what took no time at all', () => {
		const { stalled, late } = expectation(
			[[0, 5e-324, 0].map((seconds) => ({ seconds, hasEnded: true }))],
			0.1
		);
		expect(late).to.be.at.most(stalled);
		expect(stalled).to.satisfy(Number.isFinite);
	});

	it('tells nobody for a moment more, where all take about the same', () => {
		const same = expectation([Array.from({ length: 40 }, () => ({ seconds: 2, hasEnded: true }))], 60);
		expect(same.late).to.equal(2);
		expect(limitsOf(same)).to.deep.equal({ late: 12, stalled: 62 });
		expect(limitsOf({ median: 100, late: 200, stalled: 900 })).to.deep.equal({ late: 200, stalled: 900 });
	});

	it('calls few healthy runs stalled and finds nearly all that hang, with a history of which some hung', () => {
		const random = randomness(20_261_127);
		const [tellings, healthy, hung] = [{ wrong: 0 }, 4_000, 1_000];
		let soonEnough = 0;
		const STEPS = 6;
		for (let fleet = 0; fleet < 20; fleet++) {
			// Each step has its own law, and three in a hundred runs of the past hang in it until today
			const laws = Array.from({ length: STEPS }, () => ({
				mean: Math.log(20 + 400 * random()),
				deviation: 0.1 + 0.5 * random()
			}));
			const lasting = (step: number) =>
				Math.exp(laws[step]!.mean + laws[step]!.deviation * normalQuantile(Math.max(1e-9, random())));
			const learned = laws.map((law, step) => {
				const history = Array.from({ length: 300 }, (): Lasted =>
					random() < 0.03
						? { seconds: 3_600 * 24 * 30 * random(), hasEnded: false }
						: { seconds: lasting(step), hasEnded: true }
				);
				return expectation([history], Math.exp(law.mean));
			});
			for (let run = 0; run < healthy / 20; run++)
				if (learned.some((one, step) => lasting(step) > one.stalled)) tellings.wrong++;
			for (let run = 0; run < hung / 20; run++) {
				const step = Math.floor(random() * STEPS);
				if (learned[step]!.stalled <= 1.5 * logNormalQuantile(laws[step]!, 0.997)) soonEnough++;
			}
		}
		expect(tellings.wrong / healthy, 'healthy runs called stalled').to.be.at.most(0.02);
		expect(soonEnough / hung, 'hung runs found in time').to.be.at.least(0.95);
	});
});
