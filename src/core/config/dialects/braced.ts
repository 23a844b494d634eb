import {
	DEEPEST_NESTING,
	failed,
	fromWords,
	statementOf,
	type ConfigNode,
	type ConfigReading,
	type ConfigTree
} from '../tree';

const STEP = '\t';
/** White space, and comments to the end of the line; those between slash-stars are looked for apart. */
const GAP = /(?:\s+|#[^\n]*)+/y;
/** A quoted word, or a bare one. */
const WORD = /"(?:[^"\\\n]|\\.)*"|[^\s"{};#]+/y;

/**
 * Reads the braced dialect: statements end with `;`, a block stands between `{` and `}`.
 * Rejects a missing `;`, braces that do not pair, a block without a name, open quotation marks and
 * comments. Linear in the text: what is looked for and not found ends the reading.
 */
export function parseBraced(text: string): ConfigReading {
	const top: ConfigNode[] = [];
	const open: { children: ConfigNode[]; line: number }[] = [{ children: top, line: 0 }];
	let words: string[] = [];
	let wordsLine = 0;
	let line = 1;
	let at = 0;
	/** The end of what stands here, or -1; one expression per token, for none is kept. */
	const endOf = (pattern: RegExp): number => {
		pattern.lastIndex = at;
		return pattern.test(text) ? pattern.lastIndex : -1;
	};
	while (at < text.length) {
		const comment = text.startsWith('/*', at);
		const gap = comment ? text.indexOf('*/', at + 2) + 2 : endOf(GAP);
		if (comment && gap === 1) return failed(line, 'A comment is left open.');
		if (gap > 0) {
			for (let next = text.indexOf('\n', at); next >= 0 && next < gap; next = text.indexOf('\n', next + 1))
				line++;
			at = gap;
			continue;
		}
		const mark = text[at]!;
		if (mark === '{') {
			if (words.length === 0) return failed(line, 'A block without a name before “{”.');
			if (open.length > DEEPEST_NESTING) return failed(line, 'Nested too deep.');
			const children: ConfigNode[] = [];
			open.at(-1)!.children.push({ ...fromWords(words), kind: 'block', children, line: wordsLine });
			open.push({ children, line: wordsLine });
			words = [];
		} else if (mark === ';') {
			if (words.length === 0) return failed(line, 'A “;” without a statement before it.');
			open.at(-1)!.children.push({ ...fromWords(words), kind: 'leaf', children: [], line: wordsLine });
			words = [];
		} else if (mark === '}') {
			if (words.length > 0) return failed(wordsLine, 'This statement does not end with “;”.');
			if (open.length === 1) return failed(line, 'A “}” that closes nothing.');
			open.pop();
		} else {
			const end = endOf(WORD);
			if (end < 0)
				return failed(line, mark === '"' ? 'A quotation mark is left open.' : `Unexpected “${mark}”.`);
			if (words.length === 0) wordsLine = line;
			words.push(text.slice(at, end));
			at = end;
			continue;
		}
		at++;
	}
	if (words.length > 0) return failed(wordsLine, 'This statement does not end with “;”.');
	if (open.length > 1) return failed(open.at(-1)!.line, 'This block is not closed with “}”.');
	return { ok: true, tree: top };
}

/** Law: parsing a printed tree gives the same tree, lines aside. */
export const printBraced = (tree: ConfigTree, depth = 0): string =>
	tree
		.map((node) => {
			const start = `${STEP.repeat(depth)}${statementOf(node)}`;
			return node.kind === 'leaf'
				? `${start};\n`
				: `${start} {\n${printBraced(node.children, depth + 1)}${STEP.repeat(depth)}}\n`;
		})
		.join('');
