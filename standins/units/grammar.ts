import { readFileSync } from 'node:fs';
import type { Statement } from './configuration';

/** What a maker's firmware understands: per word, what may follow it and which words may stand inside. */
export interface Word {
	readonly rest: RegExp;
	readonly inside?: Grammar;
}
export type Grammar = Readonly<Record<string, Word>>;

/** The first line the firmware does not understand, in the device's own words; null when it takes all. */
export function firstRejected(
	statements: readonly Statement[],
	grammar: Grammar,
	place = ''
): { readonly line: number; readonly message: string } | null {
	for (const { word, value, inside, line } of statements) {
		const known = Object.hasOwn(grammar, word) ? grammar[word]! : null;
		if (!known) return { line, message: `unknown word "${word || value}"${place}` };
		if (!known.rest.test(value)) return { line, message: `bad value "${value}" after "${word}"${place}` };
		if (inside.length === 0) continue;
		if (!known.inside) return { line, message: `"${word}" opens no block${place}` };
		const inner = firstRejected(inside, known.inside, ` in "${value === '' ? word : `${word} ${value}`}"`);
		if (inner) return inner;
	}
	return null;
}

/** What a firmware understands, as it is built from its table, as its firmware is built from it. */
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
	built(JSON.parse(readFileSync(new URL(`./grammars/${line}.json`, import.meta.url), 'utf8')));

export const GRAMMARS: Readonly<Record<string, Grammar>> = {
	veltrane: published('veltrane-branch'),
	okapira: published('okapira-og'),
	lumenfold: published('lumenfold-air'),
	brackwater: published('brackwater-bw')
};

/** A firmware that does not know a word yet: the fault "rejected line". */
export function withoutWord(grammar: Grammar, word: string): Grammar {
	return Object.fromEntries(Object.entries(grammar).filter(([known]) => known !== word));
}
