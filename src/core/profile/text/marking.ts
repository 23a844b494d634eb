import { parseAddress, parseInterface, parsePrefix } from '../../address';
import { readMac, writtenAsMac } from '../../intake';
import { isSecretName, MASK } from './secret-words';
import type { FieldType } from '../values/field-types';

/** Where the same words stand in a text, as whole words: not inside a longer word, number or address. */
export interface Occurrence {
	readonly from: number;
	readonly to: number;
	/** 1-based. */
	readonly line: number;
	/** The whole line. */
	readonly text: string;
}

const WORD_CHARACTER = /[\p{L}\p{N}_]/u;
/** What joins words into a longer one, when a word goes on after it: `10.0.0.1`, `10.0.0.0/24`, `a-b`. */
const JOINER = /[.:/-]/;

/** Law: replacing every occurrence leaves none outside of values (`{{ … }}`). */
export function occurrencesOf(text: string, words: string): readonly Occurrence[] {
	if (words.trim() === '') return [];
	const found: Occurrence[] = [];
	for (let from = text.indexOf(words); from >= 0; from = text.indexOf(words, from + words.length)) {
		const to = from + words.length;
		if (continues(text, from, -1) || continues(text, to - 1, 1) || insideValue(text, from)) continue;
		const start = text.lastIndexOf('\n', from - 1) + 1;
		const end = text.indexOf('\n', to);
		found.push({
			from,
			to,
			line: text.slice(0, from).split('\n').length,
			text: text.slice(start, end < 0 ? undefined : end)
		});
	}
	return found;
}

/** Whether the word that `at` lies in goes on past it. */
function continues(text: string, at: number, by: 1 | -1): boolean {
	const own = text[at]!;
	const next = text[at + by];
	if (next === undefined) return false;
	if (WORD_CHARACTER.test(own) && WORD_CHARACTER.test(next)) return true;
	const after = text[at + 2 * by];
	return WORD_CHARACTER.test(own) && JOINER.test(next) && after !== undefined && WORD_CHARACTER.test(after);
}

const insideValue = (text: string, at: number): boolean => {
	const open = text.lastIndexOf('{{', at);
	return open >= 0 && text.indexOf('}}', open) >= at;
};

/** Puts a field in the place of occurrences. They are given from the first to the last. */
export function markAsField(
	text: string,
	places: readonly Pick<Occurrence, 'from' | 'to'>[],
	field: string
): string {
	let marked = '';
	let at = 0;
	for (const { from, to } of places) {
		marked += `${text.slice(at, from)}{{ ${field} }}`;
		at = to;
	}
	return marked + text.slice(at);
}

/** What kind of value some words are most likely, by their form and by the word before them. */
export function guessType(words: string, before = ''): FieldType {
	if (words === MASK || isSecretName(before.toLowerCase())) return { kind: 'secret' };
	const version = (text: string) => (text.includes(':') ? 6 : 4);
	if (parseAddress(words)) return { kind: 'address', version: version(words) };
	if (parsePrefix(words)) return { kind: 'prefix', version: version(words) };
	if (parseInterface(words)) return { kind: 'interface address', version: version(words) };
	if (writtenAsMac(words) && readMac(words)) return { kind: 'mac' };
	if (/^\d{1,4}$/.test(words) && /vlan|tag/i.test(before)) return { kind: 'vlan' };
	if (/^-?\d{1,15}$/.test(words)) return { kind: 'number' };
	if (/^https?:\/\/\S+$/.test(words)) return { kind: 'url' };
	if (/name/i.test(before) && /^[A-Za-z0-9-]+$/.test(words)) return { kind: 'hostname' };
	return { kind: 'text' };
}
