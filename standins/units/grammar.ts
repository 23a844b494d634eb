import { readFileSync } from 'node:fs';
import type { ConfigNode, ConfigProblem, ConfigTree } from '../../src/core/config';
import { statementOf } from '../../src/core/config';

/** What a maker's firmware understands: per word, what may follow it and which words may stand inside. */
export interface Word {
	readonly rest: RegExp;
	readonly inside?: Grammar;
}
export type Grammar = Readonly<Record<string, Word>>;

/** The first line the firmware does not understand, in the device's own words; null when it takes all. */
export function firstRejected(tree: ConfigTree, grammar: Grammar, place = ''): ConfigProblem | null {
	for (const node of tree) {
		const word = Object.hasOwn(grammar, node.head) ? grammar[node.head]! : null;
		if (!word)
			return { line: node.line, message: `unknown word "${node.head || statementOf(node)}"${place}` };
		if (!word.rest.test(node.rest))
			return { line: node.line, message: `bad value "${node.rest}" after "${node.head}"${place}` };
		const inner = innerProblem(node, word, place);
		if (inner) return inner;
	}
	return null;
}

function innerProblem(node: ConfigNode, word: Word, place: string): ConfigProblem | null {
	if (node.children.length === 0) return null;
	if (!word.inside) return { line: node.line, message: `"${node.head}" opens no block${place}` };
	return firstRejected(node.children, word.inside, ` in "${statementOf(node)}"`);
}

/** A maker's published table, as its firmware is built from it. */
interface Published {
	readonly types: Readonly<Record<string, string>>;
	readonly words: Words;
}
type Words = Readonly<Record<string, { readonly value?: string; readonly inside?: Words }>>;

function built({ types, words }: Published): Grammar {
	const build = (inside: Words): Grammar =>
		Object.fromEntries(
			Object.entries(inside).map(([word, { value, inside: more }]) => [
				word,
				{ rest: new RegExp(value ? `^(?:${types[value]})$` : '^$'), ...(more && { inside: build(more) }) }
			])
		);
	return build(words);
}
const published = (line: string): Grammar =>
	built(JSON.parse(readFileSync(new URL(`../../demo/grammars/${line}.json`, import.meta.url), 'utf8')));

export const GRAMMARS: Readonly<Record<string, Grammar>> = {
	veltrane: published('veltrane-branch'),
	okapira: published('okapira-og'),
	lumenfold: published('lumenfold-air')
};

/** A firmware that does not know a word yet: the fault "rejected line". */
export function withoutWord(grammar: Grammar, word: string): Grammar {
	return Object.fromEntries(Object.entries(grammar).filter(([known]) => known !== word));
}
