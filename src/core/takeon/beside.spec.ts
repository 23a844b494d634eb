import { expect } from 'chai';
import fc from 'fast-check';
import { NO_RULES, parseConfig, type ConfigTree } from '../config';
import { goneWith } from '.';

const tree = (text: string): ConfigTree => {
	const read = parseConfig(text, 'indented', NO_RULES);
	if (!read.ok) throw new Error(read.problems[0]!.message);
	return read.tree;
};
const gone = (before: string, after: string) => goneWith(tree(before), tree(after), 'indented', NO_RULES);

describe('one configuration in the place of another', () => {
	const before =
		'hostname birch\nfilter from-uplink\n  accept established\n  drop everything\naccount keeper\n';
	it('only adds, also inside a block and between statements', () => {
		expect(gone(before, before)).to.deep.equal([]);
		expect(gone(before, `caretaker limen\n${before}dial-home\n  host h\n`)).to.deep.equal([]);
		expect(gone(before, before.replace('  drop', '  accept ssh\n  drop'))).to.deep.equal([]);
	});
	it('names what it says otherwise or no more, with the blocks around it', () => {
		expect(gone(before, before.replace('account keeper\n', ''))).to.deep.equal(['account keeper']);
		expect(gone(before, before.replace('birch', 'elm'))).to.deep.equal(['hostname birch']);
		expect(gone(before, before.replace('  accept established\n', ''))).to.deep.equal([
			'filter from-uplink › accept established'
		]);
	});
	it('names each statement that is taken away', () => {
		const words = fc.uniqueArray(fc.stringMatching(/^[a-z]{3,8}$/), { minLength: 1, maxLength: 8 });
		fc.assert(
			fc.property(words, fc.nat(), fc.uniqueArray(fc.stringMatching(/^[A-Z]{3,8}$/)), (all, at, added) => {
				const away = all[at % all.length]!;
				const left = all.filter((word) => word !== away);
				expect(gone(`${all.join('\n')}\n`, `${[...left, ...added].join('\n')}\n`)).to.deep.equal([away]);
			})
		);
	});
});
