import { expect } from 'chai';
import fc from 'fast-check';
import { DRAWS, later, summaryOf, untilThrough, type Known, type UnitAhead } from './completion';
import { expectation } from './expectation';

const lasting = (...seconds: number[]): Known =>
	expectation([seconds.map((one) => ({ seconds: one, hasEnded: true }))], 60);
/** Many runs between two durations, evenly. */
const between = (from: number, to: number): Known =>
	lasting(...Array.from({ length: 200 }, (_, index) => from + ((index + 0.5) * (to - from)) / 200));
const unit = (steps: readonly Known[], { lasted = 0, isBehind = false } = {}): UnitAhead => ({
	steps: steps.map((known, index) => ({ known, lasted: index === 0 ? lasted : 0 })),
	isBehind
});
const whenAll = (...units: UnitAhead[]) => summaryOf(untilThrough(units)!);

describe('when all are through', () => {
	it('is nothing without units', () => expect(untilThrough([])).to.equal(null));

	it('of one step is what is left of it', () => {
		for (const lasted of [0, 30, 80]) {
			const { soonest, median, latest } = whenAll(unit([between(10, 110)], { lasted }));
			// It ends evenly between what it has lasted, or its soonest end, and 110
			const from = Math.max(10, lasted);
			const rest = (share: number) => from + share * (110 - from) - lasted;
			expect(soonest).to.be.closeTo(rest(0.1), 2);
			expect(median).to.be.closeTo(rest(0.5), 2);
			expect(latest).to.be.closeTo(rest(0.9), 2);
		}
	});

	it('of two steps is their sum, which scatters less than the sum of their ends', () => {
		// The sum of two even distributions is a triangle: its ninth tenth is at 200 − √(0.2) · 100
		const { median, latest } = whenAll(unit([between(0, 100), between(0, 100)]));
		expect(median).to.be.closeTo(100, 4);
		expect(latest).to.be.closeTo(200 - Math.sqrt(0.2) * 100, 6);
	});

	it('of several units is when the last is, later than each', () => {
		// The median of the last of four is at the fourth root of one half
		const four = Array.from({ length: 4 }, () => unit([between(0, 100)]));
		expect(whenAll(...four).median).to.be.closeTo(100 * 0.5 ** 0.25, 4);
	});

	it('waits for the gateway before what is behind it', () => {
		const gateway = unit([lasting(...Array.from({ length: 40 }, () => 100))]);
		const behind = unit([lasting(...Array.from({ length: 40 }, () => 60))], { isBehind: true });
		expect(whenAll(gateway, behind).median).to.be.closeTo(160, 3);
		expect(whenAll(behind).median).to.be.closeTo(60, 3);
	});

	it('is never sooner for one unit more, never below nothing, and the same again', () => {
		const any = fc
			.tuple(fc.array(fc.integer({ min: 1, max: 5000 }), { minLength: 1, maxLength: 40 }), fc.boolean())
			.map(([seconds, isBehind]) => unit([lasting(...seconds)], { lasted: seconds[0]! / 2, isBehind }));
		fc.assert(
			fc.property(fc.array(any, { minLength: 1, maxLength: 6 }), any, (units, more) => {
				const before = untilThrough(units)!;
				expect(before).to.have.length(DRAWS);
				expect(before).to.deep.equal(untilThrough(units));
				const after = untilThrough([...units, more])!;
				// One that is not behind comes before all that are: it may only make them later
				if (more.isBehind)
					for (let draw = 0; draw < DRAWS; draw++) expect(after[draw]).to.be.at.least(before[draw]!);
				expect(Math.min(...after)).to.be.at.least(0);
				expect(later(before.slice(), after)).to.satisfy((all: Float64Array) =>
					all.every((one, draw) => one >= after[draw]! && one >= before[draw]!)
				);
			})
		);
	});
});
