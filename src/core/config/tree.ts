/**
 * A configuration as a tree, the same for every dialect.
 * A statement `address 10.0.0.1/24` has head `address` and rest `10.0.0.1/24`; a block `port wan0` has
 * the same and children; a JSON member has its key as head and its literal as rest; an item of a JSON
 * list has the empty head.
 */
export interface ConfigNode {
	readonly head: string;
	readonly rest: string;
	readonly kind: 'leaf' | 'block' | 'list';
	readonly children: readonly ConfigNode[];
	/** 1-based line of the text the node was read from; 0 when it was not read from a text. */
	readonly line: number;
}

export type ConfigTree = readonly ConfigNode[];

export interface ConfigProblem {
	readonly line: number;
	readonly message: string;
}

export type ConfigReading =
	| { readonly ok: true; readonly tree: ConfigTree }
	| { readonly ok: false; readonly problems: readonly ConfigProblem[] };

export const DIALECTS = ['indented', 'braced', 'json', 'set', 'xml'] as const;
/** The grammar of a configuration text. */
export type Dialect = (typeof DIALECTS)[number];

/** A text longer than this is no configuration of a branch unit. In characters. */
export const LARGEST_CONFIGURATION = 512 * 1024;
/** Deeper nesting than this is refused: no maker's grammar needs it. */
export const DEEPEST_NESTING = 32;

export const failed = (line: number, message: string): ConfigReading => ({
	ok: false,
	problems: [{ line, message }]
});

/** The statement as one string: head and rest. */
export const statementOf = (node: Pick<ConfigNode, 'head' | 'rest'>): string =>
	node.rest === '' ? node.head : node.head === '' ? node.rest : `${node.head} ${node.rest}`;

/** Splits a statement's words into head and rest; words are joined by single spaces. */
export const fromWords = (words: readonly string[]): Pick<ConfigNode, 'head' | 'rest'> => ({
	head: words[0] ?? '',
	rest: words.slice(1).join(' ')
});
