import fc from 'fast-check';
import {
	compareTrees as compareBy,
	comparing,
	inOrderOf as inOrderBy,
	NO_RULES,
	parseConfig,
	type ConfigNode,
	type ConfigTree,
	type Dialect
} from '.';

export const by = (dialect: Dialect, ordered: readonly string[] = [], keys = {}) =>
	comparing(dialect, { ...NO_RULES, ordered: [...ordered], keys });
export const compareTrees = (a: ConfigTree, b: ConfigTree, rules = by('indented')) => compareBy(a, b, rules);
export const inOrderOf = (a: ConfigTree, b: ConfigTree) => inOrderBy(a, b, by('indented'));

export const word = fc.stringMatching(/^[a-z][a-z0-9./:-]{0,8}$/);
export const rest = fc.oneof(
	fc.constant(''),
	word,
	fc.tuple(word, fc.constantFrom('"two words"', '"a \\"b\\""', '10.0.0.1/24')).map((parts) => parts.join(' '))
);
export const lineTree = fc.letrec<{ tree: ConfigNode[]; node: ConfigNode }>((tie) => ({
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
export const jsonText = fc
	.dictionary(fc.string({ maxLength: 6 }), fc.jsonValue({ maxDepth: 3 }))
	.map((value) => JSON.stringify(value));

export const withoutLines = (tree: ConfigTree): unknown =>
	tree.map(({ head, rest, kind, children }) => ({ head, rest, kind, children: withoutLines(children) }));
export const read = (text: string, dialect: Dialect): ConfigTree => {
	const reading = parseConfig(text, dialect);
	if (!reading.ok) throw new Error(`${reading.problems[0]!.line}: ${reading.problems[0]!.message}\n${text}`);
	return reading.tree;
};
export const problem = (text: string, dialect: Dialect) => {
	const reading = parseConfig(text, dialect);
	return reading.ok ? null : reading.problems[0]!;
};
export const reversed = (tree: ConfigTree): ConfigTree =>
	[...tree]
		.reverse()
		.map((node) => (node.kind === 'list' ? node : { ...node, children: reversed(node.children) }));
/** Whether no two blocks stand side by side that their own words do not tell apart. */
export const blocksAreNamed = (tree: ConfigTree): boolean => {
	const blocks = tree.filter(({ kind }) => kind !== 'leaf');
	const names = new Set(blocks.map(({ kind, head, rest }) => JSON.stringify([kind, head, rest])));
	return names.size === blocks.length && blocks.every(({ children }) => blocksAreNamed(children));
};
