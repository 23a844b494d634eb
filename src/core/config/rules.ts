import * as v from 'valibot';
import { patternOf, patternSchema } from '../pattern';
import { statementForm, type StatementPath } from './paths';
import type { ConfigNode, ConfigTree, Dialect } from './tree';

const words = v.pipe(v.string(), v.minLength(1), v.maxLength(300));
const path = v.pipe(v.array(words), v.minLength(1), v.maxLength(8));
const described = <Schema extends v.GenericSchema>(schema: Schema, text: string) =>
	v.optional(v.pipe(schema, v.description(text)), [] as never);
const listOf = <Schema extends v.GenericSchema>(schema: Schema) => v.pipe(v.array(schema), v.maxLength(200));

/** What is a maker's own in a dialect: the reader stays the same, this says what to leave out and what to take for equal. */
export const dialectRulesSchema = v.strictObject({
	around: described(
		listOf(patternSchema),
		'Lines that a unit prints around its configuration: banners, dates, “building configuration”.'
	),
	comments: described(
		listOf(v.pipe(v.string(), v.minLength(1), v.maxLength(4))),
		'Marks that begin a comment line, besides the dialect’s own.'
	),
	ends: described(listOf(words), 'Lines that only end a block, or the whole.'),
	keys: v.optional(
		v.pipe(
			v.record(words, v.pipe(v.array(words), v.minLength(1), v.maxLength(8))),
			v.description('In XML and JSON, the lists by name, with the names of their keys.')
		),
		{}
	),
	ordered: described(listOf(words), 'First words of the blocks inside which the order counts.'),
	sections: v.optional(
		v.pipe(
			v.record(words, listOf(words)),
			v.description(
				'How people divide a configuration: by the name of a section, the first words of the statements that belong to it.'
			)
		),
		{}
	),
	volatile: described(listOf(path), 'Statements that change by themselves: clocks, counters, checksums.'),
	salted: described(
		listOf(path),
		'Statements whose value is written again each time, such as salted hashes: only that they stand there counts.'
	)
});
export type DialectRules = v.InferOutput<typeof dialectRulesSchema>;

/** A dialect with nothing of a maker's own in it. */
export const NO_RULES: DialectRules = {
	around: [],
	comments: [],
	ends: [],
	keys: {},
	ordered: [],
	sections: {},
	volatile: [],
	salted: []
};

/**
 * The text without what only stands around its statements; every line stays at its number.
 * Linear in the text for each rule.
 */
export function withoutSurroundings(text: string, { around, comments, ends }: DialectRules): string {
	if (around.length === 0 && comments.length === 0 && ends.length === 0) return text;
	const isAround = around.length === 0 ? null : patternOf(around.map((one) => `(?:${one})`).join('|'));
	// Most texts have none of them, or few
	const found = isAround?.isIn(text) ?? false;
	const last = new Set(ends);
	return text
		.split(/\r\n|\r|\n/)
		.map((line) => {
			const bare = line.trim();
			return last.has(bare) ||
				comments.some((mark) => bare.startsWith(mark)) ||
				(found && isAround!.isIn(line))
				? ''
				: line;
		})
		.join('\n');
}

/** What a rule leaves of a value that is never the same twice. */
const ANY_VALUE = '…';

/** The tree as it is compared: without what changes by itself, and with nothing of a salted value but that it is there. */
export function comparable(tree: ConfigTree, { volatile, salted }: DialectRules): ConfigTree {
	const dropped = volatile.reduce((rest, one) => changed(rest, one, () => null), tree);
	return salted.reduce((rest, one) => changed(rest, one, withoutSalt), dropped);
}

/** What stood in the place of a salted value. */
const saltedValues = new WeakMap<ConfigNode, string>();
function withoutSalt(node: ConfigNode): ConfigNode {
	const bare = { ...node, rest: ANY_VALUE };
	saltedValues.set(bare, node.rest);
	return bare;
}

/** A tree that was made of comparable ones, with its salted values as they were written. */
export const asWritten = (tree: ConfigTree): ConfigTree =>
	tree.map((node) => ({
		...node,
		rest: saltedValues.get(node) ?? node.rest,
		children: asWritten(node.children)
	}));

/** The tree with the nodes that a path leads to made into others, or left out; what is not on the path stays the same. */
function changed(
	tree: ConfigTree,
	[first, ...rest]: StatementPath,
	make: (node: ConfigNode) => ConfigNode | null
): ConfigTree {
	const form = statementForm(first!);
	let same = true;
	const nodes = tree.flatMap((node) => {
		if (!form(node)) return node;
		const children = rest.length > 0 ? changed(node.children, rest, make) : node.children;
		const next = rest.length === 0 ? make(node) : children === node.children ? node : { ...node, children };
		if (next !== node) same = false;
		return next ?? [];
	});
	return same ? tree : nodes;
}

/** Whether a maker's rules say something that only other dialects have. */
export const strangeRules = (dialect: Dialect, { ends }: DialectRules): string | null =>
	ends.length > 0 && dialect !== 'indented' && dialect !== 'set'
		? `“ends” is for dialects of lines; “${dialect}” has its own marks.`
		: null;
