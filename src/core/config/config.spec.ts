import { expect } from 'chai';
import fc from 'fast-check';
import {
	LARGEST_CONFIGURATION,
	parseConfig,
	printConfig,
	type ConfigNode,
	type ConfigTree,
	type Dialect
} from '.';
import {
	compareTrees,
	inOrderOf,
	lineTree,
	jsonText,
	withoutLines,
	read,
	problem,
	reversed
} from './config-making';

describe('configuration dialects', () => {
	for (const dialect of ['indented', 'braced'] as const)
		it(`${dialect}: parsing what was printed gives the same tree`, () => {
			fc.assert(
				fc.property(lineTree, (tree) => {
					expect(withoutLines(read(printConfig(tree, dialect), dialect))).to.deep.equal(withoutLines(tree));
				})
			);
		});

	it('json: parsing what was printed gives the same tree, and the same value', () => {
		fc.assert(
			fc.property(jsonText, (text) => {
				const tree = read(text, 'json');
				const printed = printConfig(tree, 'json');
				expect(withoutLines(read(printed, 'json'))).to.deep.equal(withoutLines(tree));
				expect(JSON.parse(printed)).to.deep.equal(JSON.parse(text));
			})
		);
	});

	it('reads comments, blocks and line numbers', () => {
		const indented = read(
			'! edge\nhostname a\n\nport wan0\n   address dhcp\n   label "the uplink"\nclock\n',
			'indented'
		);
		expect(indented.map((node) => [node.line, node.head, node.kind])).to.deep.equal([
			[2, 'hostname', 'leaf'],
			[4, 'port', 'block'],
			[7, 'clock', 'leaf']
		]);
		expect(indented[1]!.children.map((node) => [node.line, node.rest])).to.deep.equal([
			[5, 'dhcp'],
			[6, '"the uplink"']
		]);
		const braced = read('# edge\nport wan0 { /* two\nlines */ address dhcp; }\n', 'braced');
		expect(braced[0]).to.deep.include({ head: 'port', rest: 'wan0', line: 2 });
		expect(braced[0]!.children[0]!.line).to.equal(3);
		expect(
			read('{\n "a": {\n "b": [1,\n 2]}}', 'json')[0]!.children[0]!.children.map((node) => node.line)
		).to.deep.equal([3, 4]);
	});

	it('names the line of what it cannot read', () => {
		expect(problem('a\n\tb', 'indented')).to.deep.include({ line: 2 });
		expect(problem('a\n    b\n  c', 'indented')).to.deep.include({ line: 3 });
		expect(problem('  a', 'indented')).to.deep.include({ line: 1 });
		expect(problem('a "b', 'indented')).to.deep.include({ line: 1 });
		expect(problem('a {\n b\n}', 'braced')).to.deep.include({ line: 2 });
		expect(problem('a {\n b;\n', 'braced')).to.deep.include({ line: 1 });
		expect(problem('a;\n}', 'braced')).to.deep.include({ line: 2 });
		expect(problem('{ b; }', 'braced')).to.deep.include({ line: 1 });
		expect(problem('a;\nb', 'braced')).to.deep.include({ line: 2 });
		expect(problem('{"a":1,\n"a":2}', 'json')).to.deep.include({ line: 2 });
		expect(problem('{"a":\n}', 'json')).to.deep.include({ line: 2 });
		expect(problem('[1]', 'json')).to.deep.include({ line: 1 });
		expect(problem('x'.repeat(600_000), 'indented')!.message).to.match(/Longer/);
		expect(problem('{"a":'.repeat(60) + '1' + '}'.repeat(60), 'json')!.message).to.match(/deep/);
	});

	it('never throws, whatever it is given', () => {
		fc.assert(
			fc.property(
				fc.string({ unit: 'grapheme' }),
				fc.constantFrom<Dialect>('indented', 'braced', 'json'),
				(text, dialect) => {
					expect(parseConfig(text, dialect)).to.have.property('ok');
				}
			)
		);
	});
});

describe('configurations of any shape', function () {
	// Shapes that once took time out of all proportion; at the full size that is read, each must come to an end
	const full = (piece: string, before = '', after = '') =>
		before + piece.repeat(Math.floor((LARGEST_CONFIGURATION - 5000) / piece.length)) + after;
	const nested = (depth: number, dialect: Dialect): string => {
		const levels = Array.from({ length: depth }, (_, at) => at);
		if (dialect === 'json') return `{"a":`.repeat(depth) + '1' + '}'.repeat(depth);
		if (dialect === 'braced') return 'a { '.repeat(depth) + 'b;' + ' }'.repeat(depth);
		return levels.map((at) => `${' '.repeat(at)}a`).join('\n');
	};
	const SHAPES: readonly [Dialect, string, string][] = [
		['braced', 'comments that do not end', full('/* ')],
		['braced', 'comments', full('/* x */ a;')],
		['braced', 'quotation marks that do not end', full('\\"')],
		['braced', 'escapes', full('a "\\"";')],
		['braced', 'closing marks', full('a { } ')],
		['indented', 'escaped quotation marks', full('\\"')],
		['indented', 'quotation marks', full('"')],
		['indented', 'blank lines', full(' \n')],
		['indented', 'different statements', Array.from({ length: 50_000 }, (_, at) => `w${at}`).join('\n')],
		['indented', 'the same block again', full('a\n b\n')],
		[
			'indented',
			'one setting with many values',
			Array.from({ length: 50_000 }, (_, at) => `w ${at}`).join('\n')
		],
		['json', 'lists in lists', full('[', '{"a":')],
		['json', 'a long list', full('1,', '{"a":[', '1]}')],
		['json', 'escapes', full('\\"', '{"a":"', '"}')],
		['json', 'different keys', `{${Array.from({ length: 40_000 }, (_, at) => `"k${at}":1`).join()}}`]
	];
	for (const [dialect, name, text] of SHAPES)
		it(`are read and compared in time: ${dialect}, ${name}`, () => {
			expect(text.length).to.be.at.most(LARGEST_CONFIGURATION);
			const reading = parseConfig(text, dialect);
			if (!reading.ok) return expect(reading.problems).to.have.lengthOf(1);
			// A tenth of it is enough to see what grows with the square
			const tenth = (tree: ConfigTree): ConfigTree =>
				tree.length === 1 ? [{ ...tree[0]!, children: tenth(tree[0]!.children) }] : tree.slice(0, 15_000);
			const tree = tenth(reading.tree);
			const renamed = tree.map((node) => ({ ...node, rest: `${node.rest}2` }));
			expect(compareTrees(tree, reversed(tree))).to.have.lengthOf(0);
			compareTrees(tree, renamed);
			expect(inOrderOf(tree, renamed)).to.have.lengthOf(tree.length);
		});

	it('take no more for being deep than for being long', () => {
		fc.assert(
			fc.property(
				fc.constantFrom<Dialect>('indented', 'braced', 'json'),
				fc.integer({ min: 1, max: 31 }),
				fc.integer({ min: 1, max: 400 }),
				fc.constantFrom('"', '\\', '\u2028', 'x'),
				(dialect, depth, count, mark) => {
					const reading = parseConfig(nested(depth, dialect), dialect);
					if (!reading.ok) throw new Error(reading.problems[0]!.message);
					const rename = (tree: ConfigTree): ConfigTree =>
						tree.map((node) => ({ ...node, head: node.head + mark, children: rename(node.children) }));
					const tree = Array.from({ length: count }, () => rename(reading.tree)).flat();
					expect(compareTrees(tree, tree)).to.deep.equal([]);
					const deepest = (node: ConfigNode): ConfigNode =>
						node.children.length === 0
							? { ...node, rest: `${node.rest}!` }
							: { ...node, children: node.children.map(deepest) };
					expect(compareTrees(tree, [...tree.slice(1), deepest(tree[0]!)])).to.have.lengthOf(1);
				}
			),
			{ numRuns: 60 }
		);
	});
});
