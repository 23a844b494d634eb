import { expect } from 'chai';
import fc from 'fast-check';
import { siteStanding, siteWords, type PositionStanding } from './site-standing';

const standing = fc.constantFrom<PositionStanding>(
	'open',
	'waiting',
	'moving',
	'late',
	'stalled',
	'stuck',
	'online',
	'not-heard'
);

describe('how a site stands', () => {
	it('is online exactly when it has positions, every one is, and its proof held', () => {
		fc.assert(
			fc.property(fc.array(standing), fc.constantFrom('held', 'failed', null), (positions, proof) => {
				const all = positions.length > 0 && positions.every((one) => one === 'online');
				expect(siteStanding(positions, proof).word === 'online').to.equal(all && proof === 'held');
			})
		);
	});
	it('says what is still to be proven, and what does not hold', () => {
		expect(siteWords(siteStanding(['online'], null).word)).to.equal('not yet proven');
		expect(siteWords(siteStanding(['online'], 'failed').word)).to.equal('proof does not hold');
		expect(siteStanding(['online', 'stuck'], 'held').word).to.equal('stuck');
	});
	it('puts first what needs a person', () => {
		expect(siteStanding([], null).word).to.equal('empty');
		expect(siteStanding(['open', 'open'], null).word).to.equal('open');
		expect(siteStanding(['open', 'waiting'], null).word).to.equal('waiting');
		expect(siteStanding(['online', 'waiting'], null).word).to.equal('under way');
		expect(siteStanding(['online', 'moving', 'not-heard'], null).word).to.equal('not-heard');
		expect(siteStanding(['not-heard', 'moving', 'stuck'], null)).to.deep.equal({
			word: 'stuck',
			online: 0,
			positions: 3
		});
	});
});
