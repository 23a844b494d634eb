import { expect } from 'chai';
import { progressWords, shareOf } from './long-work';

describe('how far long work is', () => {
	it('is said in one sentence', () => {
		const words = (state: 'under way' | 'done' | 'cancelled', done: number, failed: number) =>
			progressWords({ state, total: 40, done, failed });
		expect(words('under way', 12, 0)).to.equal('12 of 40');
		expect(words('under way', 12, 3)).to.equal('15 of 40, 3 not done');
		expect(words('done', 40, 0)).to.equal('all 40 done');
		expect(words('done', 38, 2)).to.equal('38 of 40 done, 2 not');
		expect(words('cancelled', 1, 0)).to.equal('cancelled after 1 of 40: 1 is done, the rest is as it was');
		expect(words('cancelled', 5, 2)).to.equal(
			'cancelled after 7 of 40: 5 are done, 2 not, the rest is as it was'
		);
		expect(shareOf({ state: 'under way', total: 40, done: 8, failed: 2 })).to.equal(0.25);
	});
});
