import { expect } from 'chai';
import { patternInWords } from './pattern-words';

describe('what a pattern wants, in words', () => {
	it('names the characters, and how many', () => {
		const said: readonly (readonly [string, string])[] = [
			['[A-Za-z0-9.:-]+', 'letters, digits, dots, colons and hyphens'],
			['[a-z0-9-]{1,32}', '1 to 32 of small letters, digits and hyphens'],
			['[A-Z]{2}', '2 of capital letters'],
			['[0-9]{4,}', 'at least 4 of digits'],
			['[a-z]', 'one of small letters'],
			['[0-9A-F]*', 'digits and A to F'],
			['\\d+', 'digits'],
			['[\\d_]+', 'digits and underscores']
		];
		for (const [pattern, words] of said) expect(patternInWords(pattern), pattern).to.equal(words);
	});
	it('never shows a pattern that it cannot read', () => {
		for (const pattern of ['(a|b)+', 'x[0-9]', '[^a]+', '[a-c]+', '[!-~]+', '[é]+', '[', ''])
			expect(patternInWords(pattern), pattern).to.equal('a set form; see its example');
	});
});
