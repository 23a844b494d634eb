import { MASK, type Span } from './secret-words';

/** What stands before a secret in a statement. */
export interface Lead {
	/** The words before it, the last few of many; null stands for any word: another secret. */
	readonly words: readonly (string | null)[];
	/** What stands before it in its own word: `key=`. */
	readonly glued: string;
	/** The secret ends the statement: what else stands there is of it. */
	readonly isLast: boolean;
}
/** Of a statement with more words before its secret, these nearest ones lead to it. */
const MOST_WORDS = 8;

/** A step into the leads that begin alike. */
interface Step {
	readonly next: Map<string | null, Step>;
	/** Leads that end here: what is glued to the secret, and whether it ends its statement. */
	readonly ends: { readonly glued: string; readonly isLast: boolean }[];
}

const WORD = /"(?:[^"\\]|\\.)*"[^\s"]*|\S+/g;
/** A word as it counts, whether it is a statement's, the name of a JSON member or that of an element with its namespace. */
const bare = (word: string): string => word.replace(/^\{[^{}\s]+\}|^["'{[(,]+|["',:;]+$/g, '');
/** Names of some length only: else a text of quotation marks would be looked through once for each of them. */
const MEMBER = /"((?:[^"\\\n]|\\.){1,200})"\s*:\s*("(?:[^"\\\n]|\\.)*"|[^\s,;[\]{}"]+)/g;
const ELEMENT = /<(?:[\w.-]{1,64}:)?([\w.-]{1,200})(?:\s[^<>]*)?>([^<]+)/g;
const ATTRIBUTE = /\s([\w.:-]{1,200})=("[^"<]*"|'[^'<]*')/g;
/** What closes or opens a statement is not its last value. */
const AFTER_STATEMENT = /[\s,;{]*$/;

const OPENING = /^[{[(]+$/;

interface Known {
	readonly first: Step;
	/** A word of each lead: where none stands, nothing is led to. */
	readonly signs: readonly string[];
}
const known = new WeakMap<readonly Lead[], Known>();
function knownOf(leads: readonly Lead[]): Known {
	const before = known.get(leads);
	if (before) return before;
	const first: Step = { next: new Map(), ends: [] };
	for (const { words, glued, isLast } of leads) {
		let step = first;
		for (const word of words) {
			let next = step.next.get(word);
			if (!next) step.next.set(word, (next = { next: new Map(), ends: [] }));
			step = next;
		}
		if (!step.ends.some((one) => one.glued === glued && one.isLast === isLast))
			step.ends.push({ glued, isLast });
	}
	// An attribute's sign is its name alone
	const signs = [...new Set(leads.map(({ words }) => words.find(Boolean)!.replace(/^@/, '')))];
	known.set(leads, { first, signs });
	return { first, signs };
}

/**
 * Where in a text that follows which leads to a secret: in statements wherever they stand in a line, in members of JSON and
 * in elements and attributes of XML. Takes time in proportion to the text, but for leads that begin alike.
 */
export function ledTo(text: string, leads: readonly Lead[]): readonly Span[] {
	const { first, signs } = knownOf(leads);
	const starts = linesWithOne(text, signs);
	if (starts.length === 0) return [];
	const spans: Span[] = [];
	for (const start of starts) {
		const end = text.indexOf('\n', start);
		ledToInLine(text.slice(start, end < 0 ? undefined : end), start, first, spans);
	}
	const isLed = (name: string) => (first.next.get(name)?.ends.length ?? 0) > 0;
	for (const form of [MEMBER, ELEMENT, ATTRIBUTE])
		for (const found of text.matchAll(form)) {
			const [whole, name, value] = found as unknown as [string, string, string];
			if (!isLed(form === ATTRIBUTE ? `@${name}` : name)) continue;
			const to = found.index + whole.length;
			if (value.trim() !== '') spans.push({ from: to - value.trimStart().length, to });
		}
	return spans;
}

/** Where the lines begin in which one of these words stands. */
function linesWithOne(text: string, words: readonly string[]): readonly number[] {
	const starts = new Set<number>();
	for (const word of words)
		for (let at = text.indexOf(word); at >= 0;) {
			starts.add(text.lastIndexOf('\n', at) + 1);
			const end = text.indexOf('\n', at);
			at = end < 0 ? -1 : text.indexOf(word, end);
		}
	return [...starts];
}

function ledToInLine(line: string, start: number, first: Step, spans: Span[]): void {
	const words = [...line.matchAll(WORD)].map(({ 0: word, index }) => ({ word, index, bare: bare(word) }));
	const end = line.length - AFTER_STATEMENT.exec(line)![0].length;
	for (let begin = 0; begin < words.length; begin++) {
		// Another secret may be any word, so that there can be two ways on
		let steps: readonly Step[] = [first];
		for (let at = begin; at < words.length && steps.length > 0; at++) {
			const here = words[at]!;
			for (const { ends } of steps)
				for (const { glued, isLast } of ends) {
					const isQuoted = here.word.startsWith('"');
					const before = isQuoted && glued ? `"${glued}` : glued;
					if (!here.word.startsWith(before) || OPENING.test(here.word)) continue;
					const from = here.index + before.length;
					const to = isLast && !isQuoted ? end : here.index + here.word.replace(/[,;]+$/, '').length;
					if (to > from) spans.push({ from: start + from, to: start + to });
				}
			steps = steps.flatMap(({ next }) => [next.get(here.bare) ?? [], next.get(null) ?? []].flat());
		}
	}
}

/** What leads to the masks in a statement whose secrets are masked. */
export function leadsIn(statement: string): readonly Lead[] {
	const words = [...statement.matchAll(WORD)].map(({ 0: word }) => word);
	return words.flatMap((word, at) => {
		const mask = word.indexOf(MASK);
		const before = words
			.slice(Math.max(0, at - MOST_WORDS), at)
			.map((one) => (one.includes(MASK) ? null : bare(one)));
		// Without a word of its own anything would lead to a secret
		if (mask < 0 || !before.some((one) => one && one !== '@')) return [];
		return [
			{
				words: before,
				glued: word.slice(0, mask).replace(/^"/, ''),
				isLast: at === words.length - 1
			}
		];
	});
}
