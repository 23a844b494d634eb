/** A word in double quotes is one word and keeps its quotes (`\\"` inside). */
const QUOTED = /"(?:[^"\\]|\\.)*"/y;
const BARE = /[^\s"]+/y;
const SPACE = /\s+/y;

/** The words of a statement, or null when a quotation mark is left open. Linear in the statement. */
export function splitWords(statement: string): string[] | null {
	const words: string[] = [];
	for (let at = 0; at < statement.length;) {
		const form = statement[at] === '"' ? QUOTED : /\s/.test(statement[at]!) ? SPACE : BARE;
		form.lastIndex = at;
		// Only a quotation mark can fail to match: it is not closed
		if (!form.test(statement)) return null;
		if (form !== SPACE) words.push(statement.slice(at, form.lastIndex));
		at = form.lastIndex;
	}
	return words;
}
