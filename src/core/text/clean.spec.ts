import { expect } from 'chai';
import fc from 'fast-check';
import { cleanText } from '.';

describe('text from outside', () => {
	it('is cleaned of what cannot be kept and of what misleads, and of nothing else', () => {
		expect(cleanText('a\0b\u001b[31mc\u202ed\ud800e')).to.equal('a\uFFFDb\uFFFD[31mc\uFFFDd\uFFFDe');
		expect(cleanText('Kaikōura\t“ok”\r\n\u{1f6aa}')).to.equal('Kaikōura\t“ok”\r\n\u{1f6aa}');
	});

	it('is the same when it is cleaned again, and as long', () => {
		fc.assert(
			fc.property(fc.string({ unit: 'binary' }), (text) => {
				const once = cleanText(text);
				expect(cleanText(once)).to.equal(once);
				expect(once).to.have.lengthOf(text.length);
				expect(JSON.stringify(once)).to.not.match(/\\u0000|\\ud[89a-f]/i);
			})
		);
	});
});
