import { expect } from 'chai';
import { counted } from './counted';

describe('counted things', () => {
	it('have the number of their noun', () => {
		expect([0, 1, 2, 2000].map((count) => counted(count, 'site'))).to.deep.equal([
			'0 sites',
			'1 site',
			'2 sites',
			'2,000 sites'
		]);
		expect([1, 3].map((count) => counted(count, 'site follows', 'sites follow'))).to.deep.equal([
			'1 site follows',
			'3 sites follow'
		]);
	});
});
