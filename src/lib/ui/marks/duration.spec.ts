import { expect } from 'chai';
import { duration } from './duration';

describe('a length of time', () => {
	it('is told in two units at most', () => {
		const told: [number, string][] = [
			[-5, '0 s'], [0, '0 s'], [59_999, '59 s'], [60_000, '1 min'], [260_000, '4 min 20 s'], [600_000, '10 min'],
			[3_599_000, '59 min'], [3_600_000, '1 h 0 min'], [90 * 60_000, '1 h 30 min'], [72 * 3_600_000, '3 days']
		]; // prettier-ignore
		for (const [milliseconds, words] of told)
			expect(duration(milliseconds), String(milliseconds)).to.equal(words);
	});
});
