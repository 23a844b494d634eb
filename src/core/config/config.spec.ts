import { expect } from 'chai';
import fc from 'fast-check';
import {
	broughtTo,
	compareTrees as compareBy,
	comparing,
	inOrderOf as inOrderBy,
	LARGEST_CONFIGURATION,
	NO_RULES,
	parseConfig,
	printConfig,
	statementOf,
	type ConfigNode,
	type ConfigTree,
	treeDifferences,
	type Dialect
} from '.';

const by = (dialect: Dialect, ordered: readonly string[] = [], keys = {}) =>
	comparing(dialect, { ...NO_RULES, ordered: [...ordered], keys });
const compareTrees = (a: ConfigTree, b: ConfigTree, rules = by('indented')) => compareBy(a, b, rules);
const inOrderOf = (a: ConfigTree, b: ConfigTree) => inOrderBy(a, b, by('indented'));

const word = fc.stringMatching(/^[a-z][a-z0-9./:-]{0,8}$/);
const rest = fc.oneof(
	fc.constant(''),
	word,
	fc.tuple(word, fc.constantFrom('"two words"', '"a \\"b\\""', '10.0.0.1/24')).map((parts) => parts.join(' '))
);
const lineTree = fc.letrec<{ tree: ConfigNode[]; node: ConfigNode }>((tie) => ({
	tree: fc.array(tie('node'), { maxLength: 4 }) as fc.Arbitrary<ConfigNode[]>,
	node: fc.oneof(
		{ maxDepth: 4 },
		fc.record({
			head: word,
			rest,
			kind: fc.constant('leaf' as const),
			children: fc.constant([]),
			line: fc.constant(0)
		}),
		fc.record({
			head: word,
			rest,
			kind: fc.constant('block' as const),
			children: fc.array(tie('node'), { minLength: 1, maxLength: 4 }) as fc.Arbitrary<ConfigNode[]>,
			line: fc.constant(0)
		})
	)
})).tree;
const jsonText = fc
	.dictionary(fc.string({ maxLength: 6 }), fc.jsonValue({ maxDepth: 3 }))
	.map((value) => JSON.stringify(value));

const withoutLines = (tree: ConfigTree): unknown =>
	tree.map(({ head, rest, kind, children }) => ({ head, rest, kind, children: withoutLines(children) }));
const read = (text: string, dialect: Dialect): ConfigTree => {
	const reading = parseConfig(text, dialect);
	if (!reading.ok) throw new Error(`${reading.problems[0]!.line}: ${reading.problems[0]!.message}\n${text}`);
	return reading.tree;
};
const problem = (text: string, dialect: Dialect) => {
	const reading = parseConfig(text, dialect);
	return reading.ok ? null : reading.problems[0]!;
};
const reversed = (tree: ConfigTree): ConfigTree =>
	[...tree]
		.reverse()
		.map((node) => (node.kind === 'list' ? node : { ...node, children: reversed(node.children) }));

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

describe('comparing configurations', () => {
	it('finds none to itself, in any order', () => {
		fc.assert(
			fc.property(lineTree, (tree) => {
				expect(compareTrees(tree, tree)).to.deep.equal([]);
				expect(compareTrees(tree, reversed(tree))).to.deep.equal([]);
			})
		);
	});

	it('can be put in the order of another without becoming another', () => {
		fc.assert(
			fc.property(lineTree, lineTree, (intended, running) => {
				const aligned = inOrderOf(intended, running);
				expect(compareTrees(running, aligned)).to.deep.equal([]);
				expect(inOrderOf(running, reversed(running)).map(statementOf)).to.deep.equal(
					running.map(statementOf)
				);
			})
		);
	});

	it('finds something between two that mean different things, and the same the other way round', () => {
		const mirror = { missing: 'extra', extra: 'missing', changed: 'changed', order: 'order' } as const;
		fc.assert(
			fc.property(lineTree, lineTree, (left, right) => {
				const there = compareTrees(left, right);
				const back = compareTrees(right, left);
				expect(back.map(({ kind }) => mirror[kind]).sort()).to.deep.equal(
					there.map(({ kind }) => kind).sort()
				);
			})
		);
	});

	it('says what is missing, what is extra and what changed, and where', () => {
		const intended = read('port wan0\n  address dhcp\n  label up\nntp a\nntp b', 'indented');
		const running = read('ntp b\nport wan0\n  address 10.0.0.1/24\ndebug all', 'indented');
		const found = compareTrees(intended, running).map(({ path, kind, intended: should, running: is }) => [
			path.join(' / '),
			kind,
			should,
			is
		]);
		expect(found).to.have.deep.members([
			['port wan0', 'changed', 'address dhcp', 'address 10.0.0.1/24'],
			['port wan0', 'missing', 'label up', null],
			['', 'missing', 'ntp a', null],
			['', 'extra', null, 'debug all']
		]);
	});

	it('minds the order where order matters', () => {
		const rules = (first: string, second: string) =>
			read(`filter guest\n  ${first}\n  ${second}`, 'indented');
		const [a, b] = [rules('deny lan', 'allow any'), rules('allow any', 'deny lan')];
		expect(compareTrees(a, b)).to.deep.equal([]);
		expect(compareTrees(a, b, by('indented', ['filter']))[0]).to.deep.include({
			kind: 'order',
			path: ['filter guest']
		});
		expect(
			compareTrees(read('{"a":[1,2]}', 'json'), read('{"a":[2,1]}', 'json'), by('json'))[0]!.kind
		).to.equal('order');
		expect(compareTrees(read('{"a":1,"b":2}', 'json'), read('{"b":2,"a":1}', 'json'))).to.deep.equal([]);
	});

	it('says a wrong order also where other lines differ, with the fewest moves', () => {
		const filter = (...rules: string[]) =>
			read(`filter guest\n${rules.map((one) => `  ${one}\n`).join('')}`, 'indented');
		const found = compareTrees(
			filter('deny lan', 'deny hub', 'allow dns', 'allow any'),
			filter('allow any', 'deny lan', 'allow dns', 'log all'),
			by('indented', ['filter'])
		);
		expect(
			found.map(({ kind, intended, running, after }) => [kind, intended ?? running, after])
		).to.deep.equal([
			['missing', 'deny hub', undefined],
			['extra', 'log all', undefined],
			['order', 'allow any', 'allow dns']
		]);
	});

	it('moves no more than has to be moved', () => {
		const nodes = fc.uniqueArray(fc.nat(40), { maxLength: 12 });
		fc.assert(
			fc.property(nodes, fc.infiniteStream(fc.nat(1000)), (numbers, chance) => {
				const shuffled = numbers
					.map((number) => [chance.next().value as number, number])
					.sort(([a], [b]) => a! - b!)
					.map(([, number]) => number!);
				const block = (list: readonly number[]) =>
					read(`a\n${list.map((one) => ` r ${one}\n`).join('')}`, 'indented');
				// By trying every subsequence of the intended order
				let longest = 0;
				for (let kept = 0; kept < 2 ** numbers.length; kept++) {
					const some = numbers.filter((_, at) => kept & (1 << at)).map((one) => shuffled.indexOf(one));
					if (some.every((place, at) => at === 0 || some[at - 1]! < place))
						longest = Math.max(longest, some.length);
				}
				expect(compareTrees(block(numbers), block(shuffled), by('indented', ['a']))).to.have.lengthOf(
					numbers.length - longest
				);
			}),
			{ numRuns: 60 }
		);
	});

	it('tells the items of a list apart by their key, and names the one that is gone', () => {
		const json = (value: unknown) => read(JSON.stringify(value), 'json');
		const networks = (...items: object[]) => json({ networks: items });
		const [staff, guest, till] = [
			{ ssid: 'Staff', vlan: 10, hidden: false },
			{ ssid: 'Guests', vlan: 20, hidden: false },
			{ ssid: 'Till', vlan: 30, hidden: true }
		];
		const words = (a: ConfigTree, b: ConfigTree, keys = {}) =>
			compareTrees(a, b, by('json', [], keys)).map(({ kind, path, intended, running }) => [
				kind,
				path.join('/'),
				intended,
				running
			]);
		expect(words(networks(staff, guest, till), networks(staff, till))).to.deep.equal([
			['missing', 'networks', 'ssid "Guests"', null]
		]);
		expect(
			words(networks(staff, guest, till), networks({ ...guest, vlan: 21 }, staff, till))
		).to.have.deep.members([
			['changed', 'networks/ssid "Guests"', 'vlan 20', 'vlan 21'],
			['order', 'networks', 'ssid "Staff"', 'ssid "Staff"']
		]);
		expect(
			words(networks(staff, guest), networks(staff, { ...guest, ssid: 'Visitors' }), { networks: ['vlan'] })
		).to.deep.equal([['changed', 'networks/20', 'ssid "Guests"', 'ssid "Visitors"']]);
		// Nothing names them: by what they have in common
		expect(
			words(
				json({
					a: [
						{ x: 1, y: 1, z: 1 },
						{ x: 1, y: 2, z: 2 }
					]
				}),
				json({
					a: [
						{ x: 1, y: 2, z: 3 },
						{ x: 1, y: 1, z: 1 }
					]
				})
			)
		).to.have.deep.members([
			['changed', 'a/x 1', 'z 2', 'z 3'],
			['order', 'a', 'x 1', 'x 1']
		]);
	});

	it('compares numbers and quoted words by value', () => {
		const json = (text: string) => read(text, 'json');
		expect(compareTrees(json('{"a":1.0,"b":"\\u0041"}'), json('{"a":1,"b":"A"}'), by('json'))).to.deep.equal(
			[]
		);
		expect(
			compareTrees(json('{"a":12345678901234567890}'), json('{"a":12345678901234567891}'), by('json'))
		).to.have.lengthOf(1);
		expect(compareTrees(read('name "main"', 'indented'), read('name main', 'indented'))).to.deep.equal([]);
		expect(compareTrees(read('release 1.10', 'indented'), read('release 1.1', 'indented'))).to.have.lengthOf(
			1
		);
		expect(compareTrees(read('name "a b"', 'indented'), read('name a b', 'indented'))).to.have.lengthOf(1);
	});

	it('puts right what is chosen and leaves the rest', () => {
		const json = jsonText.map((text) => ({ tree: read(text, 'json'), rules: by('json') }));
		const headsOf = (tree: ConfigTree): string[] =>
			tree.flatMap(({ head, children }) => [head, ...headsOf(children)]);
		const lines = lineTree.map((tree) => ({ tree, rules: by('indented') }));
		const inOrder = lineTree.map((tree) => ({ tree, rules: by('indented', headsOf(tree)) }));
		for (const some of [json, lines, inOrder])
			fc.assert(
				fc.property(
					some,
					some,
					fc.infiniteStream(fc.boolean()),
					({ tree: intended, rules }, { tree: running }, coin) => {
						expect(
							compareBy(
								intended,
								broughtTo(intended, running, rules, () => true),
								rules
							)
						).to.deep.equal([]);
						expect(
							compareBy(
								running,
								broughtTo(intended, running, rules, () => false),
								rules
							)
						).to.deep.equal([]);
						const chosen = new Set<string>();
						const name = (one: object) => JSON.stringify(one);
						const told = treeDifferences(intended, running, rules);
						const brought = broughtTo(intended, running, rules, (one) => {
							if (!coin.next().value) return false;
							chosen.add(name(one));
							return true;
						});
						expect([...chosen].every((one) => told.some((other) => name(other) === one))).to.equal(true);
						if (told.every(({ said }) => said.kind !== 'order'))
							expect(compareBy(intended, brought, rules).length).to.be.at.most(told.length);
					}
				)
			);
	});
});
