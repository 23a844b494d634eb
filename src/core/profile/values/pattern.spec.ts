import { expect } from 'chai';
import { isQuick } from './pattern';

describe('patterns that people write', () => {
	it('are let in when they come to an end soon', () => {
		for (const pattern of [
			'[A-Z]{2}\\d{4}',
			'[a-z]+-[0-9]+',
			'(?:ab|cd)x?',
			'(?:[0-9a-f]{2}:){5}[0-9a-f]{2}',
			'[+*(]+',
			'\\(.*\\)',
			'(yes|no)?'
		])
			expect(isQuick(pattern), pattern).to.equal(true);
	});

	it('are not when they might take for ever', () => {
		for (const pattern of [
			'(a+)+',
			'(a|aa)+',
			'(?:a?){50}a{50}',
			'(?:x*)*y',
			'(.*,){9}z',
			'a*a*a*a*b',
			'(?=a)b',
			'(a)\\1+',
			'((a)|b)+',
			'(?:(?:a{1,30})){2,}',
			'(?<n>a)\\k<n>'
		])
			expect(isQuick(pattern), pattern).to.equal(false);
	});
});
