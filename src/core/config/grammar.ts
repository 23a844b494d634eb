import * as v from 'valibot';
import { patternOf, patternSchema, type Pattern } from '../pattern';
import { statementOf, type ConfigNode, type ConfigProblem, type ConfigTree } from './tree';

/**
 * What a maker's firmware understands, as the maker publishes it for its models: an open table, read from
 * a file. A word says by type what may follow it and which words may stand inside.
 */
export interface Word {
	/** The name of a type; nothing may follow when it is left out. */
	readonly value?: string | undefined;
	readonly inside?: Words | undefined;
	/** The first version that knows the word; all do when it is left out. */
	readonly since?: string | undefined;
}
/** By word; `*` is any word that is not named. */
export type Words = Readonly<Record<string, Word>>;

/** What a unit needs to be reached again; each has alternatives, and an alternative needs all its paths. */
export const LIFELINES = ['uplink', 'route', 'names', 'time', 'home', 'login'] as const;
export type Lifeline = (typeof LIFELINES)[number];
export const LIFELINE_WORDS: Readonly<Record<Lifeline, string>> = {
	uplink: 'an address on its uplink',
	route: 'a way out of its network',
	names: 'a name server',
	time: 'a time source',
	home: 'the address to call home',
	login: 'the key that lets Limen in'
};

const wordSchema: v.GenericSchema<Word> = v.object({
	value: v.optional(v.string()),
	inside: v.optional(v.lazy(() => wordsSchema)),
	since: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(64)))
});
const wordsSchema: v.GenericSchema<Words> = v.record(v.string(), wordSchema);
const path = v.pipe(v.array(v.string()), v.minLength(1), v.maxLength(8));
const alternatives = v.array(v.array(path));
const warning = v.object({ path, words: v.string() });

/** Where a configuration says what its unit is in its network. Words are paths, seen from the statement they stand in. */
const networkSchema = v.strictObject({
	/** The unit's fixed address on its uplink, with its length, and the way out of it. */
	outside: v.optional(v.strictObject({ address: path, gateway: v.optional(path) })),
	/** Its own networks: where each begins, and in it its own address and the range that it hands out. */
	segments: v.optional(v.array(v.strictObject({ at: path, address: path, range: v.optional(path) })), []),
	tunnels: v.optional(v.strictObject({ at: path, far: path, secret: path, address: path, carries: path })),
	/** The ports that give power, where that has to be said; else those for access points do. */
	power: v.optional(v.strictObject({ at: path, when: path }))
});
export type NetworkReads = v.InferOutput<typeof networkSchema>;

export const grammarSchema = v.object({
	/** Patterns by name; each must fit the whole of what follows a word. */
	types: v.record(v.string(), patternSchema),
	words: wordsSchema,
	lifelines: v.object({
		uplink: alternatives,
		route: alternatives,
		names: alternatives,
		time: alternatives,
		home: alternatives,
		login: alternatives
	}),
	/** Statements that cut a unit off whatever else stands there. */
	cuts: v.optional(v.array(warning), []),
	/** Statements that open it to strangers. */
	risks: v.optional(v.array(warning), []),
	network: v.optional(networkSchema)
});
export type Grammar = v.InferOutput<typeof grammarSchema>;

/**
 * What one version of the firmware understands. `versions`: all there are, oldest first; one that is not among them, and
 * words of versions that are not, count as the newest.
 */
export function grammarAt(grammar: Grammar, versions: readonly string[], version: string): Grammar {
	const at = versions.indexOf(version);
	// The newest knows every word
	if (at < 0 || at === versions.length - 1) return grammar;
	const known = (words: Words): Words =>
		Object.fromEntries(
			Object.entries(words)
				.filter(([, { since }]) => since === undefined || versions.indexOf(since) <= at)
				.map(([word, { inside, ...rest }]) => [word, inside ? { ...rest, inside: known(inside) } : rest])
		);
	return { ...grammar, words: known(grammar.words) };
}

const typeOf = ({ types }: Grammar, name: string): Pattern | null =>
	Object.hasOwn(types, name) ? patternOf(types[name]!) : null;

const MOST_REJECTED = 100;

/** Every line that firmware with this grammar would refuse, in the order of the text; a hundred at most. `who`: whom the words are about. */
export function rejectedLines(tree: ConfigTree, grammar: Grammar, who = 'This model'): ConfigProblem[] {
	const problems: ConfigProblem[] = [];
	const check = (nodes: ConfigTree, words: Words, place: string): void => {
		for (const node of nodes) {
			if (problems.length >= MOST_REJECTED) return;
			const problem = rejected(node, words, grammar, place, who);
			if (problem) problems.push({ line: node.line, message: problem });
			else if (node.children.length > 0)
				check(node.children, wordFor(node, words)!.inside!, ` inside “${statementOf(node)}”`);
		}
	};
	check(tree, grammar.words, '');
	return problems;
}

const ANY_WORD = '*';
const wordFor = ({ head }: ConfigNode, words: Words): Word | null =>
	Object.hasOwn(words, head) ? words[head]! : Object.hasOwn(words, ANY_WORD) ? words[ANY_WORD]! : null;

function rejected(
	node: ConfigNode,
	words: Words,
	grammar: Grammar,
	place: string,
	who: string
): string | null {
	const word = wordFor(node, words);
	if (!word) return `${who} does not know the word “${node.head || statementOf(node)}”${place}.`;
	if (word.value === undefined) {
		if (node.rest !== '') return `Nothing may follow “${node.head}”${place}; “${node.rest}” does.`;
	} else if (!typeOf(grammar, word.value)?.fits(node.rest))
		return `“${node.rest}” is no ${word.value} after “${node.head}”${place}.`;
	if (node.children.length > 0 && !word.inside) return `“${node.head}” opens no block${place}.`;
	return null;
}
