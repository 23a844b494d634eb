import { expect } from 'chai';
import fc from 'fast-check';
import type { Failure } from '../../onboarding';
import { bestFirst, helpedWords, otherWords, signatureOf } from './signature';

const failed = (words: string, more: Partial<Failure> = {}): Failure => ({
	step: 'configuration',
	kind: 'config-error',
	words,
	...more
});
const keyOf = (words: string, names: readonly string[] = []) => signatureOf(failed(words), null, names).key;

describe('the signature of a failure', () => {
	it('leaves out what is the unit’s own: its names, addresses and numbers', () => {
		const here = keyOf('OG2K1234567X at 10.40.4.1: hash mismatch, sha-256 ab:cd:ef:01:23:45 got 4f2a9c31…', [
			'OG2K1234567X'
		]);
		const there = keyOf(
			'OG8K7654321A at 192.0.2.77: hash mismatch, sha-256 02:00:5e:00:00:01 got 9911aa00…',
			['OG8K7654321A']
		);
		expect(here).to.equal(there);
		expect(here).to.include('hash mismatch');
	});
	it('tells apart other words, steps, kinds and lines', () => {
		expect(keyOf('no space')).to.not.equal(keyOf('hash mismatch'));
		expect(signatureOf(failed('x', { step: 'firmware' }), null, []).key).to.not.equal(keyOf('x'));
		const line = (number: number) =>
			signatureOf(failed(`line ${number}: unknown word`), { revisionId: 'r', line: number }, []).key;
		expect(line(3)).to.not.equal(line(4));
	});
	it('is the same for the same line behind it, wherever that landed and whatever is quoted', () => {
		const behind = { revisionId: 'r', line: 4 };
		expect(signatureOf(failed('line 7: unknown word “x1”'), behind, []).key).to.equal(
			signatureOf(failed('line 19: unknown word “y2”'), behind, []).key
		);
	});
	it('does not depend on names, numbers, letter case or white space, and stays short', () => {
		const text = fc.stringMatching(/^[a-z ]{1,60}$/);
		fc.assert(
			fc.property(text, fc.nat(), fc.nat(), fc.stringMatching(/^[A-Z]{4,9}$/), (words, one, other, name) => {
				const a = keyOf(`${words} ${one}  ${name}`, [name]);
				const b = keyOf(`${words.toUpperCase()} ${other} ANOTHER`, ['ANOTHER']);
				expect(a).to.equal(b);
			})
		);
		expect(keyOf('ab '.repeat(5000)).length).to.be.at.most(300);
		expect(otherWords(failed('x')).key).to.equal(otherWords(failed('y')).key);
	});
	it('takes time in line with the words, whatever they are', () => {
		for (const piece of ['0:', 'a'.repeat(7), '1.1', 'x://', '::::'])
			expect(keyOf(piece.repeat(20_000)).length).to.be.at.most(300);
	});
});

describe('what helped', () => {
	const again = { acts: [], tried: 11, helped: 9 };
	const value = { acts: ['set values'], tried: 2, helped: 2 };
	it('is told with its counts, the best first; what never helped is not advised', () => {
		expect(bestFirst([value, { acts: ['swap'], tried: 3, helped: 0 }, again])).to.deep.equal([again, value]);
		expect(helpedWords(again)).to.equal('It was let try again: 9 of 11 came through.');
		expect(helpedWords(value)).to.equal('Values were set, then it was let try again: 2 of 2 came through.');
	});
});
