import {
	DEEPEST_NESTING,
	failed,
	fromWords,
	statementOf,
	type ConfigNode,
	type ConfigReading,
	type ConfigTree
} from '../tree';
import { splitWords } from '../words';

const COMMENT = /^\s*[!#]/;
const STEP = '  ';

type Growing = Omit<ConfigNode, 'kind' | 'children'> & { kind: ConfigNode['kind']; children: Growing[] };

/**
 * Reads the indented dialect: one statement a line, a block is what is indented deeper below it;
 * `!` and `#` begin a comment line. Rejects tabs in the indentation, an indentation that fits no block
 * above, and open quotation marks.
 */
export function parseIndented(text: string): ConfigReading {
	const top: Growing[] = [];
	const levels = [{ indent: 0, children: top }];
	const lines = text.split(/\r\n|\r|\n/);
	for (const [index, raw] of lines.entries()) {
		const line = index + 1;
		if (raw.trim() === '' || COMMENT.test(raw)) continue;
		const indentation = /^\s*/.exec(raw)![0];
		if (indentation.includes('\t')) return failed(line, 'A tab in the indentation; use spaces.');
		const indent = indentation.length;
		while (indent < levels.at(-1)!.indent) levels.pop();
		const parent = levels.at(-1)!.children.at(-1);
		if (indent > levels.at(-1)!.indent) {
			// Deeper than its neighbours without a statement to belong to, or between two levels
			if (parent === undefined || parent.kind === 'block')
				return failed(line, 'The indentation fits no block above.');
			if (levels.length >= DEEPEST_NESTING) return failed(line, 'Nested too deep.');
			parent.kind = 'block';
			levels.push({ indent, children: parent.children });
		}
		const words = splitWords(raw.trim());
		if (words === null) return failed(line, 'A quotation mark is left open.');
		levels.at(-1)!.children.push({ ...fromWords(words), kind: 'leaf', children: [], line });
	}
	return { ok: true, tree: top };
}

/** Law: parsing a printed tree gives the same tree, lines aside. */
export const printIndented = (tree: ConfigTree, depth = 0): string =>
	tree
		.map((node) => `${STEP.repeat(depth)}${statementOf(node)}\n${printIndented(node.children, depth + 1)}`)
		.join('');
