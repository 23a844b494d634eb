/** What stands between words in any dialect. */
const BETWEEN = /[\s"'{}[\]();,<>=]+/;
/** A longer word is a key or an image: nobody types it. */
const LONGEST_WORD = 100;
/** So many words of one unit are looked for. */
export const MOST_WORDS = 20_000;

/**
 * The words of a text as a search looks for them: in small letters, each once, addresses with and without their length.
 * Linear in the text.
 */
export function wordsIn(text: string): readonly string[] {
	const found = new Set<string>();
	for (const word of text.toLowerCase().split(BETWEEN)) {
		const bare = word.replace(/^[:.]+|[:.]+$/g, '');
		// eslint-disable-next-line no-control-regex
		if (bare === '' || bare.length > LONGEST_WORD || /[\u0000-\u001f\ufffd]/.test(bare)) continue;
		found.add(bare);
		const [address] = bare.split('/');
		if (address !== bare && address) found.add(address);
		if (found.size >= MOST_WORDS) break;
	}
	return [...found];
}

/** The lines of a text that hold all these words, each as a whole word; 1-based. */
export function linesWith(text: string, wanted: readonly string[]): { line: number; text: string }[] {
	if (wanted.length === 0) return [];
	return text.split('\n').flatMap((line, index) => {
		const has = new Set(wordsIn(line));
		return wanted.every((word) => has.has(word)) ? [{ line: index + 1, text: line }] : [];
	});
}
