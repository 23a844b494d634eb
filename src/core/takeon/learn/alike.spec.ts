import { expect } from 'chai';
import fc from 'fast-check';
import { parseConfig } from '../../config';
import { groupAlike, type UnitShape } from './alike';

const shape = (id: string, text: string, kind = 'indented vt-120'): UnitShape => {
	const read = parseConfig(text, 'indented');
	if (!read.ok) throw new Error(read.problems[0]!.message);
	return { id, kind, tree: read.tree };
};
const router = (n: number) =>
	`hostname r${n}\nport wan0\n  use dhcp\n  label "up"\nroute 10.${n}.0.0/24 to hub\ntime-server t\n`;
const hub = (n: number) =>
	`hostname h${n}\nport wan0\n  use dhcp\ntunnel t${n}\n  far 10.0.0.${n}\n  secret s\nrelay all\nwatch tunnels\n`;

describe('units that are alike', () => {
	it('are those that say the same, whatever the values in it, of one kind', () => {
		const units = [
			...[1, 2, 3, 4].map((n) => shape(`r${n}`, router(n))),
			...[1, 2].map((n) => shape(`h${n}`, hub(n))),
			shape('other', router(9), 'indented vt-340'),
			shape('nothing', '')
		];
		expect(groupAlike(units).map((group) => [...group].sort())).to.deep.equal([
			['r1', 'r2', 'r3', 'r4'],
			['h1', 'h2'],
			['other'],
			['nothing']
		]);
		expect(groupAlike([])).to.deep.equal([]);
	});

	it('are all in one group each, in whichever order they come', () => {
		const texts = fc.array(fc.array(fc.constantFrom('a', 'b', 'c', 'd', 'e'), { maxLength: 5 }), {
			maxLength: 8
		});
		fc.assert(
			fc.property(texts, (all) => {
				const units = all.map((words, at) =>
					shape(`u${at}`, words.map((word) => `${word} ${at}\n`).join(''))
				);
				const groups = groupAlike(units);
				expect(groups.flat().sort()).to.deep.equal(units.map(({ id }) => id).sort());
				const sets = (given: readonly (readonly string[])[]) =>
					given.map((ids) => [...ids].sort().join()).sort();
				expect(sets(groupAlike([...units].reverse()))).to.deep.equal(sets(groups));
			}),
			// Two that say the same in another order, as firsts of a group: equally alike to the last digit
			{ examples: [[['dcab', 'b', 'ca', 'c', 'ba', 'bd', 'da', 'cadb'].map((words) => [...words])]] }
		);
	});
});
