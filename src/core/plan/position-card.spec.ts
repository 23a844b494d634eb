import { expect } from 'chai';
import fc from 'fast-check';
import { readPositionCard, writePositionCard } from './position-card';

describe('a position’s card', () => {
	it('says what was written on it, also when a scanner’s keyboard is another', () => {
		fc.assert(
			fc.property(fc.uuid(), fc.webUrl(), (id, base) => {
				const text = writePositionCard(base.replace(/\/$/, ''), id);
				expect(readPositionCard(text)).to.equal(id);
				expect(readPositionCard(text.replaceAll('/', '-').replace(':', 'Ö').toUpperCase())).to.equal(id);
			})
		);
	});
	it('is nothing else', () => {
		for (const text of [
			'',
			'OG2K119O899C',
			'at 12',
			'https://limen.example/sites',
			`format/${'a'.repeat(32)}`
		])
			expect(readPositionCard(text), text).to.equal(null);
	});
});
