import { expect } from 'chai';
import fc from 'fast-check';
import { pauseAfter, readRetryAfter, refusalWords, REGISTRY_RESULTS } from './registry';

describe('a maker’s registry', () => {
	it('is left alone longer the more often it fails, up to ten minutes, or as long as it asks', () => {
		fc.assert(
			fc.property(fc.nat(1000), fc.nat(1000), (one, other) => {
				const [few, many] = [Math.min(one, other), Math.max(one, other)];
				expect(pauseAfter(few)).to.be.at.most(pauseAfter(many)).and.at.most(600);
			})
		);
		expect([1, 2, 3, 20].map((failures) => pauseAfter(failures))).to.deep.equal([2, 4, 8, 600]);
		expect(pauseAfter(1, 3600)).to.equal(3600);
		expect(pauseAfter(20, 1)).to.equal(600);
	});
	it('says how long to wait as seconds or as a date, and nothing when it is neither', () => {
		const now = Date.parse('2026-12-01T00:00:00Z');
		expect(readRetryAfter('120', now)).to.equal(120);
		expect(readRetryAfter('Tue, 01 Dec 2026 00:00:30 GMT', now)).to.equal(30);
		expect(readRetryAfter('Mon, 30 Nov 2026 00:00:30 GMT', now)).to.equal(0);
		for (const header of [null, '', 'soon', '-5x'])
			expect(readRetryAfter(header, now), String(header)).to.equal(null);
		fc.assert(
			fc.property(fc.string(), (header) => {
				expect(readRetryAfter(header, now) ?? 0).to.be.within(0, 86_400);
			})
		);
	});
	it('refuses with a reason exactly when the unit is not ours', () => {
		// An answer of tomorrow is no confirmation
		expect(refusalWords('lent' as never, 'Okapira')).to.match(/not known here/);
		const refused = REGISTRY_RESULTS.filter((result) => refusalWords(result, 'Okapira') !== null);
		expect(refused).to.deep.equal(['other-account', 'unknown', 'wrong-code']);
	});
});
