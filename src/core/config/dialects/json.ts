import { parse, type ValueNode } from '@humanwhocodes/momoa';
import { DEEPEST_NESTING, failed, type ConfigNode, type ConfigReading, type ConfigTree } from '../tree';

/**
 * Reads the JSON dialect (RFC 8259; the outermost value is an object). Members become statements, lists
 * become nodes of kind `list` whose items have the empty head.
 * Rejects what is not JSON, and an object with the same key twice.
 */
export function parseJson(text: string): ConfigReading {
	let body: ValueNode;
	try {
		body = parse(text, { mode: 'json', ranges: true }).body as ValueNode;
	} catch (error) {
		if (error instanceof RangeError) return failed(1, 'Nested too deep.');
		const { line, message } = error as { line?: number; message: string };
		return failed(line ?? 1, message.replace(/\s*\(\d+:\d+\)$/, ''));
	}
	if (body.type !== 'Object') return failed(1, 'The outermost value must be an object.');
	try {
		return { ok: true, tree: nodeOf('', body, text, 0).children };
	} catch (error) {
		if (error instanceof Refused) return failed(error.line, error.message);
		throw error;
	}
}

class Refused extends Error {
	constructor(
		readonly line: number,
		message: string
	) {
		super(message);
	}
}

function nodeOf(head: string, value: ValueNode, text: string, depth: number): ConfigNode {
	const { line } = value.loc.start;
	if (depth > DEEPEST_NESTING) throw new Refused(line, 'Nested too deep.');
	if (value.type === 'Array') {
		const children = value.elements.map((element) => nodeOf('', element.value, text, depth + 1));
		return { head, rest: '', kind: 'list', children, line };
	}
	if (value.type !== 'Object')
		// The literal is normalised, so that "\u0041" and "A" are the same value
		return {
			head,
			rest:
				value.type === 'Number'
					? text.slice(...value.range!)
					: JSON.stringify('value' in value ? value.value : null),
			kind: 'leaf',
			children: [],
			line
		};
	const seen = new Set<string>();
	const children = value.members.map((member) => {
		const key = member.name.type === 'String' ? member.name.value : member.name.name;
		if (seen.has(key))
			throw new Refused(member.loc.start.line, `The key “${key}” stands twice in one object.`);
		seen.add(key);
		return { ...nodeOf(key, member.value, text, depth + 1), line: member.loc.start.line };
	});
	return { head, rest: '', kind: 'block', children, line };
}

/** A line of a printed tree and the node it is of; the outermost braces are of none. */
export interface PrintedLine {
	readonly text: string;
	readonly node: ConfigNode | null;
}

/** Law: parsing a printed tree gives the same tree, lines aside. Two spaces a level. */
export const printJson = (tree: ConfigTree): string =>
	jsonLines(tree)
		.map(({ text }) => `${text}\n`)
		.join('');

/** The printed tree line by line. */
export const jsonLines = (tree: ConfigTree): readonly PrintedLine[] =>
	tree.length === 0
		? [{ text: '{}', node: null }]
		: [{ text: '{', node: null }, ...itemLines(tree, true, '  '), { text: '}', node: null }];

const itemLines = (items: ConfigTree, named: boolean, indent: string): PrintedLine[] =>
	items.flatMap((node, index) => {
		const lines = valueLines(node, `${indent}${named ? `${JSON.stringify(node.head)}: ` : ''}`, indent);
		const last = lines.at(-1)!;
		return index === items.length - 1 ? lines : [...lines.slice(0, -1), { ...last, text: `${last.text},` }];
	});

function valueLines(node: ConfigNode, start: string, indent: string): PrintedLine[] {
	if (node.kind === 'leaf') return [{ text: start + node.rest, node }];
	const [open, close] = node.kind === 'block' ? '{}' : '[]';
	if (node.children.length === 0) return [{ text: `${start}${open}${close}`, node }];
	return [
		{ text: start + open, node },
		...itemLines(node.children, node.kind === 'block', `${indent}  `),
		{ text: indent + close, node }
	];
}
