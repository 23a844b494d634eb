import { expect } from 'chai';
import fc from 'fast-check';
import { siteStanding, type PositionStanding } from './site-standing';

const standing = fc.constantFrom<PositionStanding>(
	'open',
	'waiting',
	'moving',
	'slow',
	'stuck',
	'online',
	'not-heard'
);

describe('how a site stands', () => {
	it('is online exactly when it has positions and every one is', () => {
		fc.assert(
			fc.property(fc.array(standing), (positions) => {
				const all = positions.length > 0 && positions.every((one) => one === 'online');
				expect(siteStanding(positions).word === 'online').to.equal(all);
			})
		);
	});
	it('puts first what needs a person', () => {
		expect(siteStanding([]).word).to.equal('empty');
		expect(siteStanding(['open', 'open']).word).to.equal('open');
		expect(siteStanding(['open', 'waiting']).word).to.equal('waiting');
		expect(siteStanding(['online', 'waiting']).word).to.equal('under way');
		expect(siteStanding(['online', 'moving', 'not-heard']).word).to.equal('not-heard');
		expect(siteStanding(['not-heard', 'moving', 'stuck'])).to.deep.equal({
			word: 'stuck',
			online: 0,
			positions: 3
		});
	});
});
