import * as v from 'valibot';
import { statementOf, type ConfigNode, type ConfigProblem, type ConfigTree } from './tree';

/**
 * What a maker's firmware understands, as the maker publishes it for its models: an open table, read from
 * a file. A word says by type what may follow it and which words may stand inside.
 */
export interface Word {
	/** The name of a type; nothing may follow when it is left out. */
	readonly value?: string | undefined;
	readonly inside?: Words | undefined;
}
export type Words = Readonly<Record<string, Word>>;

/** Statements from the outside in: `["port {port.uplink}", "own-address *"]`. `*` stands for one word or more. */
export type StatementPath = readonly string[];

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
	inside: v.optional(v.lazy(() => wordsSchema))
});
const wordsSchema: v.GenericSchema<Words> = v.record(v.string(), wordSchema);
const path = v.pipe(v.array(v.string()), v.minLength(1), v.maxLength(8));
const alternatives = v.array(v.array(path));
const warning = v.object({ path, words: v.string() });

export const grammarSchema = v.object({
	/** Regular expressions by name; each must fit the whole of what follows a word. */
	types: v.record(
		v.string(),
		v.pipe(
			v.string(),
			v.check((text) => {
				try {
					return Boolean(new RegExp(`^(?:${text})$`, 'u'));
				} catch {
					return false;
				}
			}, 'This is no regular expression.')
		)
	),
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
	risks: v.optional(v.array(warning), [])
});
export type Grammar = v.InferOutput<typeof grammarSchema>;

const compiled = new WeakMap<Grammar, Map<string, RegExp>>();
function typeOf(grammar: Grammar, name: string): RegExp | undefined {
	let types = compiled.get(grammar);
	if (!types) {
		types = new Map(
			Object.entries(grammar.types).map(([type, text]) => [type, new RegExp(`^(?:${text})$`, 'u')])
		);
		compiled.set(grammar, types);
	}
	return types.get(name);
}

const MOST_REJECTED = 100;

/** Every line that firmware with this grammar would refuse, in the order of the text; a hundred at most. */
export function rejectedLines(tree: ConfigTree, grammar: Grammar): ConfigProblem[] {
	const problems: ConfigProblem[] = [];
	const check = (nodes: ConfigTree, words: Words, place: string): void => {
		for (const node of nodes) {
			if (problems.length >= MOST_REJECTED) return;
			const problem = rejected(node, words, grammar, place);
			if (problem) problems.push({ line: node.line, message: problem });
			else if (node.children.length > 0)
				check(node.children, words[node.head]!.inside!, ` inside “${statementOf(node)}”`);
		}
	};
	check(tree, grammar.words, '');
	return problems;
}

function rejected(node: ConfigNode, words: Words, grammar: Grammar, place: string): string | null {
	const word = Object.hasOwn(words, node.head) ? words[node.head]! : null;
	if (!word) return `This model does not know the word “${node.head || statementOf(node)}”${place}.`;
	if (word.value === undefined) {
		if (node.rest !== '') return `Nothing may follow “${node.head}”${place}; “${node.rest}” does.`;
	} else if (!typeOf(grammar, word.value)?.test(node.rest))
		return `“${node.rest}” is no ${word.value} after “${node.head}”${place}.`;
	if (node.children.length > 0 && !word.inside) return `“${node.head}” opens no block${place}.`;
	return null;
}

/** What a path's names stand for: `port.uplink`, `limen.call_home_host`. */
export type PathNames = Readonly<Record<string, string | number>>;

/** The nodes that a path leads to. A name that stands for nothing leads nowhere. */
export function nodesAt(tree: ConfigTree, path: StatementPath, names: PathNames): readonly ConfigNode[] {
	const [first, ...rest] = path;
	const form = patternOf(first!, names);
	if (!form) return [];
	const found = tree.filter((node) => form.test(statementOf(node)));
	return rest.length === 0 ? found : found.flatMap((node) => nodesAt(node.children, rest, names));
}

function patternOf(statement: string, names: PathNames): RegExp | null {
	let known = true;
	const filled = statement.replace(/\{([a-z_.]+)\}/g, (_, name: string) => {
		if (!Object.hasOwn(names, name)) known = false;
		return String(names[name] ?? '');
	});
	return known ? formOf(filled) : null;
}

const MOST_FORMS = 2_000;
/** Paths are few and asked for again with every rendering. */
const forms = new Map<string, RegExp>();

function formOf(statement: string): RegExp {
	let form = forms.get(statement);
	if (!form) {
		const escaped = statement.replace(/[.+?^${}()|[\]\\]/g, '\\$&').replaceAll('*', '\\S.*');
		form = new RegExp(`^${escaped}$`, 'u');
		if (forms.size >= MOST_FORMS) forms.delete(forms.keys().next().value!);
		forms.set(statement, form);
	}
	return form;
}
