import { expect } from 'chai';
import * as fc from 'fast-check';
import {
	fitLogNormal,
	kaplanMeier,
	logNormalQuantile,
	normalQuantile,
	quantile,
	survivalAt,
	type Lasted
} from './survival';

const ended = (...times: number[]): Lasted[] => times.map((seconds) => ({ seconds, hasEnded: true }));
const open = (...times: number[]): Lasted[] => times.map((seconds) => ({ seconds, hasEnded: false }));
const run = fc.record({ seconds: fc.nat(60), hasEnded: fc.boolean() });
const runs = fc.array(run, { maxLength: 40 });

describe('how long something takes', () => {
	it('is the curve of a published example, to the digits given there', () => {
		// Weeks in remission under 6-mercaptopurine, Freireich et al., Blood 21 (1963); S as in Cox and Oakes, 1984
		const curve = kaplanMeier([
			...ended(6, 6, 6, 7, 10, 13, 16, 22, 23),
			...open(6, 9, 10, 11, 17, 19, 20, 25, 32, 32, 34, 35)
		]);
		expect(curve.times).to.deep.equal([6, 7, 10, 13, 16, 22, 23]);
		expect(curve.survival.map((share) => share.toFixed(4))).to.deep.equal([
			'0.8571', '0.8067', '0.7529', '0.6902', '0.6275', '0.5378', '0.4482'
		]); // prettier-ignore
		expect(curve.variance.map((one) => Math.sqrt(one).toFixed(4))).to.deep.equal([
			'0.0764', '0.0869', '0.0963', '0.1068', '0.1141', '0.1282', '0.1346'
		]); // prettier-ignore
		expect(quantile(curve, 0.5)).to.equal(23);
		expect(quantile(curve, 0.9)).to.equal(null);
	});

	it('falls in steps from 1, and never rises', () =>
		fc.assert(
			fc.property(runs, (some) => {
				const { times, survival, variance } = kaplanMeier(some);
				let before = 1;
				survival.forEach((share, index) => {
					expect(share).to.be.within(0, before);
					expect(variance[index]).to.be.at.least(0);
					if (index > 0) expect(times[index]).to.be.greaterThan(times[index - 1]!);
					before = share;
				});
			})
		));

	it('is not lowered by one more that lasts on and has not ended', () =>
		fc.assert(
			fc.property(runs, fc.nat(80), (some, seconds) => {
				const [before, after] = [kaplanMeier(some), kaplanMeier([...some, { seconds, hasEnded: false }])];
				for (let at = 0; at <= 60; at++)
					expect(survivalAt(after, at)).to.be.at.least(survivalAt(before, at) - 1e-12);
			})
		));

	it('does not depend on the order', () =>
		fc.assert(
			fc.property(runs, fc.nat(), (some, by) => {
				const turned = some.map((_, index) => some[(index + by) % some.length]!).reverse();
				expect(kaplanMeier(turned)).to.deep.equal(kaplanMeier(some));
			})
		));

	it('is the share of those that last longer when all have ended', () =>
		fc.assert(
			fc.property(fc.array(fc.nat(60), { minLength: 1, maxLength: 40 }), (times) => {
				const curve = kaplanMeier(ended(...times));
				for (let at = 0; at <= 60; at++)
					expect(survivalAt(curve, at)).to.be.closeTo(
						times.filter((one) => one > at).length / times.length,
						1e-9
					);
				expect(curve.survival.at(-1)).to.equal(0);
			})
		));

	it('counts a weight as so many', () =>
		fc.assert(
			fc.property(fc.array(fc.tuple(run, fc.integer({ min: 1, max: 4 })), { maxLength: 15 }), (some) => {
				const weighted = kaplanMeier(some.map(([one, weight]) => ({ ...one, weight })));
				const repeated = kaplanMeier(
					some.flatMap(([one, weight]) => Array.from({ length: weight }, () => one))
				);
				expect(weighted.times).to.deep.equal(repeated.times);
				weighted.survival.forEach((share, index) =>
					expect(share).to.be.closeTo(repeated.survival[index]!, 1e-9)
				);
			})
		));

	it('has the smallest time at which so many have ended', () => {
		const curve = kaplanMeier(ended(10, 20, 30, 40, 50, 60, 70, 80, 90, 100));
		expect([0, 0.1, 0.5, 0.9, 0.95, 1].map((p) => quantile(curve, p))).to.deep.equal([
			10, 10, 50, 90, 100, 100
		]);
		expect(quantile(kaplanMeier([]), 0.5)).to.equal(null);
		expect(quantile(kaplanMeier(open(5)), 0)).to.equal(null);
	});

	it('leaves out what makes no sense', () => {
		const odd: Lasted[] = [NaN, -1, Infinity].map((seconds) => ({ seconds, hasEnded: true }));
		expect(kaplanMeier([...odd, { seconds: 5, hasEnded: true, weight: 0 }])).to.deep.equal(kaplanMeier([]));
	});

	it('goes on as a log-normal where nobody has been', () => {
		expect(normalQuantile(0.5)).to.be.closeTo(0, 1e-8);
		expect(normalQuantile(0.975)).to.be.closeTo(1.959963985, 1e-7);
		expect(normalQuantile(0.003)).to.be.closeTo(-2.747781385, 1e-7);
		const fit = fitLogNormal(ended(Math.exp(1), Math.exp(2), Math.exp(3)))!;
		expect(fit.mean).to.be.closeTo(2, 1e-12);
		expect(fit.deviation).to.be.closeTo(Math.sqrt(2 / 3), 1e-12);
		expect(logNormalQuantile(fit, 0.5)).to.be.closeTo(Math.exp(2), 1e-6);
		expect(fitLogNormal([...ended(5, 6), ...open(7, 8)])).to.equal(null);
	});
});
