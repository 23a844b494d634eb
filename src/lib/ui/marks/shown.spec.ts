import { expect } from 'chai';
import { betterFirst, worstOf } from './shown';

describe('How places stand on a map', () => {
	it('is the worst for many in one place: one that is not heard is never hidden under those that are online', () => {
		expect(worstOf(['online', 'not-heard', 'online'])).to.equal('not-heard');
		expect(worstOf(['late', 'not-heard'])).to.equal('not-heard');
		expect(worstOf(['not-heard', 'stuck', 'moving'])).to.equal('stuck');
		expect(worstOf(['online', 'online'])).to.equal('online');
		expect(worstOf([])).to.equal('online');
	});
	it('draws the worse over the better', () => {
		expect((['stuck', 'online', 'not-heard', 'waiting'] as const).toSorted(betterFirst)).to.deep.equal([
			'online',
			'waiting',
			'not-heard',
			'stuck'
		]);
	});
});
