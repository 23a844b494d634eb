import { expect } from 'chai';
import fc from 'fast-check';
import { emptyBy, type SizeOnDay } from './size';

const sizes = (...units: number[]): SizeOnDay[] => units.map((one, at) => ({ day: 100 + at, units: one }));

describe('when a cohort will be empty', () => {
	it('is told from the line through its last sizes', () => {
		expect(emptyBy(sizes(40, 30, 20, 10))).to.equal(104);
		expect(emptyBy(sizes(100, 98, 96, 94, 92))).to.equal(150);
		expect(emptyBy(sizes(40, 30, 20))).to.equal(null);
		expect(emptyBy(sizes(5, 5, 5, 5))).to.equal(null);
		expect(emptyBy(sizes(5, 6, 7, 8))).to.equal(null);
		expect(emptyBy(sizes(9, 6, 3, 0))).to.equal(null);
		expect(emptyBy([])).to.equal(null);
		// What was long ago counts no more
		const old: SizeOnDay[] = [{ day: 1, units: 1_000 }, ...sizes(5, 6, 7, 8)];
		expect(emptyBy(old)).to.equal(null);
	});

	it('is never in the past, and sooner the faster it shrinks', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 1, max: 50 }),
				fc.integer({ min: 1, max: 20 }),
				fc.nat(30),
				(least, fall, days) => {
					const of = (each: number) =>
						sizes(...Array.from({ length: 4 + days }, (_, at) => least + each * (3 + days - at)));
					const [slow, fast] = [emptyBy(of(fall)), emptyBy(of(fall + 1))];
					expect(slow).to.be.above(103 + days);
					expect(fast).to.be.at.most(slow!);
				}
			)
		);
	});
});
