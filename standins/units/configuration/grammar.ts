import { readFileSync } from 'node:fs';
import type { Statement } from './configuration';

/** What a maker's firmware understands: per word, what may follow it and which words may stand inside. */
export interface Word {
	readonly rest: RegExp;
	readonly inside?: Grammar;
	/** From which release on it is there. */
	readonly since?: string;
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
	/** All there are, the oldest first; `over`: those over which alone it can be installed. */
	readonly releases: readonly {
		readonly release: string;
		readonly over?: readonly string[];
		/** Models on which it does not start. */
		readonly fails?: readonly string[];
	}[];
	readonly types: Readonly<Record<string, string>>;
	readonly words: Words;
}
type Words = Readonly<
	Record<string, { readonly value?: string; readonly inside?: Words; readonly since?: string }>
>;

function built({ types, words }: Published): Grammar {
	const build = (inside: Words): Grammar =>
		Object.fromEntries(
			Object.entries(inside).map(([word, { value, inside: more, since }]) => [
				word,
				{
					rest: new RegExp(value ? `^(?:${types[value]})$` : '^$'),
					...(more && { inside: build(more) }),
					...(since !== undefined && { since })
				}
			])
		);
	return build(words);
}
const published = (line: string): Published =>
	JSON.parse(readFileSync(new URL(`../grammars/${line}.json`, import.meta.url), 'utf8'));
const LINES: Readonly<Record<string, Published>> = {
	veltrane: published('veltrane-branch'),
	okapira: published('okapira-og'),
	lumenfold: published('lumenfold-air'),
	brackwater: published('brackwater-bw')
};
export const GRAMMARS: Readonly<Record<string, Grammar>> = Object.fromEntries(
	Object.entries(LINES).map(([maker, line]) => [maker, built(line)])
);

const releaseNumber = (maker: string, release: string): number => {
	const at = LINES[maker]!.releases.findIndex((one) => one.release === release);
	return at < 0 ? Infinity : at;
};

/** What one release understands; one that is not in the list understands all. */
export function grammarOf(maker: string, release: string): Grammar {
	const here = releaseNumber(maker, release);
	const known = (words: Grammar): Grammar =>
		Object.fromEntries(
			Object.entries(words)
				.filter(([, { since }]) => since === undefined || releaseNumber(maker, since) <= here)
				.map(([word, one]) => [word, one.inside ? { ...one, inside: known(one.inside) } : one])
		);
	return known(GRAMMARS[maker]!);
}

/** Whether a release can be installed over the one that runs. */
export function canInstall(maker: string, release: string, over: string): boolean {
	const allowed = LINES[maker]!.releases.find((one) => one.release === release)?.over;
	return allowed === undefined || allowed.includes(over);
}

/** Whether a release starts on a model: some do not, and the unit goes back to the one before. */
export function startsOn(maker: string, release: string, model: string): boolean {
	const one = LINES[maker]!.releases.find(({ release: name }) => name === release);
	return !one?.fails?.includes(model);
}

/** A firmware that does not know a word yet: the fault "rejected line". */
export function withoutWord(grammar: Grammar, word: string): Grammar {
	return Object.fromEntries(Object.entries(grammar).filter(([known]) => known !== word));
}
