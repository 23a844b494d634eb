import {
	DEEPEST_NESTING,
	failed,
	statementOf,
	type ConfigNode,
	type ConfigReading,
	type ConfigTree
} from '../tree';
import { splitWords } from '../words';

const SET = 'set';
const COMMENT = /^\s*#/;

type Growing = Omit<ConfigNode, 'children'> & { children: Growing[] };

/**
 * Reads the dialect of set-lines: every line is `set` and the whole way to one value, such as
 * `set interfaces eth0 address 10.0.0.1/24`. All words but the last two become blocks inside each other, the last
 * two a statement; a line of one word is a statement without a value. Lines that begin alike share their blocks, and
 * the same line twice is one. `#` begins a comment line.
 * Rejects any other line, open quotation marks, and ways that are too long.
 */
export function parseSetLines(text: string): ConfigReading {
	const top: Growing[] = [];
	const blocks = new Map<string, Growing[]>([['', top]]);
	const seen = new Set<string>();
	for (const [index, raw] of text.split(/\r\n|\r|\n/).entries()) {
		const line = index + 1;
		if (raw.trim() === '' || COMMENT.test(raw)) continue;
		const words = splitWords(raw.trim());
		if (words === null) return failed(line, 'A quotation mark is left open.');
		if (words[0] !== SET)
			return failed(line, `Every line begins with “${SET}”; this one with “${words[0]!.slice(0, 40)}”.`);
		if (words.length === 1) return failed(line, `Nothing follows “${SET}”.`);
		if (words.length - 2 > DEEPEST_NESTING) return failed(line, 'More words than any way has.');
		const way = words.slice(1, Math.max(1, words.length - 2));
		const [head, rest = ''] = words.slice(Math.max(1, words.length - 2)) as [string, string?];
		const key = JSON.stringify(words);
		if (seen.has(key)) continue;
		seen.add(key);
		childrenAt(blocks, way, line).push({ head, rest, kind: 'leaf', children: [], line });
	}
	return { ok: true, tree: top };
}

function childrenAt(blocks: Map<string, Growing[]>, way: readonly string[], line: number): Growing[] {
	let key = '';
	let children = blocks.get('')!;
	for (const word of way) {
		key += ` ${word}`;
		let inside = blocks.get(key);
		if (!inside) {
			inside = [];
			children.push({ head: word, rest: '', kind: 'block', children: inside, line });
			blocks.set(key, inside);
		}
		children = inside;
	}
	return children;
}

/** Law: parsing a printed tree gives the same tree, lines aside; a block with nothing in it has no line. */
export const printSetLines = (tree: ConfigTree, way = SET): string =>
	tree
		.map((node) =>
			node.kind === 'leaf'
				? `${way} ${statementOf(node)}\n`
				: printSetLines(node.children, `${way} ${statementOf(node)}`)
		)
		.join('');
