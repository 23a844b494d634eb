import Papa from 'papaparse';

/** One row of a list: where it begins, as it was given, and its cells. */
export interface Line {
	/** 1-based line of the text on which the row begins. */
	readonly line: number;
	readonly raw: string;
	readonly cells: readonly string[];
}
export interface Lines {
	/** What parts the cells; null when nothing but spaces does. */
	readonly delimiter: string | null;
	readonly lines: readonly Line[];
}

/**
 * The rows of pasted text or a CSV file (RFC 4180, also with `;`, tab or spaces, with a byte order mark or
 * without, CRLF, CR or LF). Rows without anything in them are left out.
 */
export function readLines(given: string): Lines {
	const text = given.replace(/^\uFEFF/, '');
	const delimiter = mainDelimiter(text);
	const lines: Line[] = [];
	if (delimiter === null) {
		text.split(/\r\n|\r|\n/).forEach((raw, index) => {
			const found = raw.trim().split(/\s+/).filter(Boolean);
			if (/[^\s,;]/.test(raw)) lines.push({ line: index + 1, raw: raw.trim(), cells: found });
		});
		return { delimiter, lines };
	}
	let line = 1;
	let from = 0;
	Papa.parse<string[]>(text, {
		delimiter,
		step: ({ data, meta }) => {
			// `raw` is cut from the text itself, so that a bad row goes back exactly as it came
			const raw = text.slice(from, meta.cursor);
			const found = data.map((cell) => cell.trim());
			if (/[^\s,;]/.test(raw)) lines.push({ line, raw: trimmed(raw, delimiter), cells: found });
			for (let i = 0; i < raw.length; i++) if (raw[i] === '\n') line++;
			from = meta.cursor;
		}
	});
	return { delimiter, lines };
}

/** Without the line's end; a tab at its beginning or end is an empty cell and stays. */
const trimmed = (raw: string, delimiter: string) =>
	delimiter === '\t' ? raw.replace(/^[\r\n ]+|[\r\n ]+$/g, '') : raw.trim();

/** Tab, semicolon or comma, whichever the first lines hold most of; null when they hold none. */
function mainDelimiter(text: string): string | null {
	const head = text.slice(0, 4000);
	const counts = ['\t', ';', ','].map((delimiter) => [delimiter, head.split(delimiter).length - 1] as const);
	const [best] = counts.sort((a, b) => b[1] - a[1]);
	return best && best[1] > 0 ? best[0] : null;
}
