import { expect } from 'chai';
import fc from 'fast-check';
import { groupsOf, LONGEST_PATTERN, patternOf, patternProblem } from './pattern';

describe('patterns from outside', () => {
	it('fit a whole text, stand in one, and give their named groups', () => {
		const version = patternOf('^running release (?P<version>\\S{1,64});$');
		expect(version.first('hello\nrunning release 7.0.3;\nmore')).to.deep.equal({ version: '7.0.3' });
		expect(version.first('running release ;')).to.equal(null);
		expect(version.fits('running release 7.0.3;')).to.equal(true);
		expect(version.fits('running release 7.0.3; and more')).to.equal(false);
		expect(patternOf('error').isIn('an error, it says')).to.equal(true);
		expect(patternOf('^% (?<words>.*)$').each('% one\ntwo\n% three', 10)).to.deep.equal([
			{ words: 'one' },
			{ words: 'three' }
		]);
		expect(patternOf('a').each('aaaa', 3)).to.have.length(3);
		expect(patternOf('b+').place('aabbb')).to.deep.equal({ start: 2, end: 5 });
		expect(groupsOf('(?P<a>x)(?P<b>y)(z)')).to.have.members(['a', 'b']);
	});

	it('are refused in words when they are none, too long, or grow without end', () => {
		for (const text of ['(', '(?=x)', '(a)\\1', '[z-a]', 'a{1001}'])
			expect(patternProblem(text), text).to.match(/^This is no pattern: /);
		expect(patternProblem('a'.repeat(LONGEST_PATTERN + 1))).to.match(/^A pattern has at most 1,000/);
		expect(patternProblem('(?:(?:[^a]{30}b{30}){30}c{9}){1,99}')).to.be.a('string');
		expect(patternProblem('(a+)+$')).to.equal(null);
	});

	it('take a time that grows with the text and not faster, whatever they are', () => {
		// What takes 2^n steps where one goes back and tries again would never end here
		for (const text of ['(a+)+$', '(a|a)*b', '(a|aa)+$', '(.*)(.*)(.*)(.*)x', '(?:a?){30}a{30}'])
			expect(patternOf(text).fits('a'.repeat(20_000) + '!'), text).to.equal(false);
	});

	it('agree with the language’s own where both know the words', () => {
		fc.assert(
			fc.property(
				fc.constantFrom('^\\d+$', '[a-c]+x?', '^(?:a|bc)*$', '"(?:[^"\\\\]|\\\\.)*"', '\\s$', 'é.'),
				fc.string({ unit: fc.constantFrom(...'abcx1 "\\é\n') }),
				(pattern, text) => {
					expect(patternOf(pattern).isIn(text)).to.equal(new RegExp(pattern, 'mu').test(text));
					expect(patternOf(pattern).fits(text)).to.equal(
						new RegExp(`^(?:${pattern})$`, 'mu').exec(text)?.[0] === text
					);
				}
			)
		);
	});
});
