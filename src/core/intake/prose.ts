import { MEANING_WORDS, meaningsOf, type Meaning } from './columns';
import { type Line } from './lines';
import { looksLikeMac, writtenAsMac } from './label/mac';

/** What a label has: a serial number or claim code with digits in it, or a MAC address. */
const LIKE_A_LABEL = /^(?:(?=.*\d)(?=.*[A-Z])[0-9A-Z-]{8,}|\d{9,})$/i;
const hasLabel = ({ raw }: Line): boolean => {
	const words = raw.split(/[\s,;]+/);
	return (
		words.some((word) => LIKE_A_LABEL.test(word) || looksLikeMac(word) || writtenAsMac(word)) ||
		GROUPED.test(raw)
	);
};
/** A serial number in groups of four, as it is printed and read aloud. */
const GROUPED = /(?:^|[\s,;])[0-9A-Z]{4}[ -](?:[0-9A-Z]{4}[ -])+[0-9A-Z]{1,4}(?=$|[\s,;])/;
/** Several words, or a word with a mark behind it: what people write. A quoted cell is a table's. */
const isProse = ({ raw }: Line): boolean =>
	!raw.startsWith('"') && (/\S\s+\S/.test(raw) || /[,.:!?]$/.test(raw) || /^[-_*=]{2,}$/.test(raw));

/**
 * Units in a letter: what stands before the first, after the last or between two of them and holds nothing of
 * a label is passed over, when it is written as people write. A word by itself in the middle of a list is a
 * row that somebody has to look at.
 */
export function apartFromProse(lines: readonly Line[]): {
	readonly units: readonly Line[];
	readonly prose: readonly Line[];
} {
	const labelled = lines.map(hasLabel);
	const [first, last] = [labelled.indexOf(true), labelled.lastIndexOf(true)];
	if (first < 0) return { units: lines, prose: [] };
	const around = (from: number, to: number) => {
		const block = lines.slice(from, to);
		return block.some(isProse) ? block : [];
	};
	const prose = new Set([
		...around(0, first),
		...around(last + 1, lines.length),
		...lines.filter((line, index) => index > first && index < last && !labelled[index] && isProse(line))
	]);
	return { units: lines.filter((line) => !prose.has(line)), prose: [...prose] };
}

/** The headings as they were given when they say it all, or else ones that do. */
export function headingFor(
	columns: readonly (Meaning | null)[],
	given: Line | null,
	delimiter: string | null
): string {
	const said = given ? meaningsOf(given.cells) : [];
	if (given && (delimiter === null || columns.every((meaning, index) => meaning === (said[index] ?? null))))
		return given.raw;
	return columns.map((meaning) => (meaning ? MEANING_WORDS[meaning] : '')).join(delimiter ?? '\t');
}
