/** Splits a statement into words. A word in double quotes is one word and keeps its quotes (`\"` inside). */
const WORD = /"(?:[^"\\]|\\.)*"|[^\s"]+/g;

/** The words, or null when a quotation mark is left open. */
export function splitWords(statement: string): string[] | null {
	const words = statement.match(WORD) ?? [];
	const quotes = statement.replace(/\\./g, '').split('"').length - 1;
	return quotes % 2 === 0 ? words : null;
}
