import Papa from 'papaparse';
import { cleanText } from '../text';

/**
 * What a source answers with, as a table of text: CSV (RFC 4180, also with `;` or tabs), or JSON (RFC 8259), in which a
 * JSON Pointer (RFC 6901) says where the list is, and another where the address of the next page stands.
 */
export interface Table {
	readonly headings: readonly string[];
	readonly rows: readonly (readonly string[])[];
	/** Its records name their values one by one and may leave some out: a column that none of them has can still be one. */
	readonly isSparse: boolean;
}
export type TableReading =
	| { readonly ok: true; readonly table: Table; readonly next: string | null }
	| { readonly ok: false; readonly problem: string };

export interface Places {
	/** To the list; empty: the document itself is the list. */
	readonly records: string;
	/** To the address of the next page; empty: the answer's header says it (RFC 8288), or there is one page. */
	readonly next: string;
}

export const MOST_COLUMNS = 200;
export const MOST_RECORDS = 50_000;
const LONGEST_CELL = 10_000;
const DEEPEST = 6;

const refuse = (problem: string): TableReading => ({ ok: false, problem });

/** A pointer is empty, or begins with a slash. */
export const isPointer = (text: string): boolean => text === '' || /^\/(?:[^~]|~[01])*$/.test(text);

/** What a JSON Pointer points to; undefined where there is nothing. */
export function pointed(document: unknown, pointer: string): unknown {
	if (pointer === '') return document;
	return pointer
		.slice(1)
		.split('/')
		.map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'))
		.reduce<unknown>(
			(at, step) =>
				typeof at === 'object' && at !== null && Object.hasOwn(at, step)
					? (at as Record<string, unknown>)[step]
					: undefined,
			document
		);
}

/**
 * Reads what came, whichever of the two it is. Rejects a web page, nothing, what is cut off, a JSON document without a
 * list at its place, and what is larger than a list of sites or units can be.
 */
export function readTable(text: string, places: Places): TableReading {
	const clean = cleanText(text.replace(/^\uFEFF/, ''));
	const begins = clean.trimStart().slice(0, 1);
	if (begins === '') return refuse('There is nothing in it.');
	if (begins === '<')
		return refuse('That is a web page or XML, and neither CSV nor JSON. Does the address want a sign-in?');
	return begins === '{' || begins === '[' ? readJson(clean, places) : readCsv(clean);
}

function readJson(text: string, { records, next }: Places): TableReading {
	let document: unknown;
	try {
		document = JSON.parse(text);
	} catch (error) {
		return refuse(`It begins as JSON and is none: ${(error as Error).message.slice(0, 200)}.`);
	}
	const list = pointed(document, records);
	if (!Array.isArray(list))
		return refuse(
			records === ''
				? `The document is no list. Say where the list is, such as ${listsIn(document) ?? '/items'}.`
				: `There is no list at ${records}.${listsIn(document) ? ` There is one at ${listsIn(document)}.` : ''}`
		);
	if (list.length > MOST_RECORDS) return refuse(TOO_MANY);
	const headings = new Map<string, number>();
	const rows: string[][] = [];
	for (const [index, one] of list.entries()) {
		if (typeof one !== 'object' || one === null || Array.isArray(one))
			return refuse(`Item ${index + 1} of the list is no object with names and values.`);
		const row: string[] = [];
		for (const [name, value] of leaves(one as object)) {
			let at = headings.get(name);
			if (at === undefined) {
				if (headings.size === MOST_COLUMNS) return refuse(TOO_WIDE);
				headings.set(name, (at = headings.size));
			}
			row[at] = value;
		}
		rows.push(row);
	}
	const onwards = next === '' ? undefined : pointed(document, next);
	return {
		ok: true,
		table: { ...squared([...headings.keys()], rows), isSparse: true },
		next: typeof onwards === 'string' && onwards !== '' ? onwards : null
	};
}
const TOO_MANY = `There are more than ${MOST_RECORDS.toLocaleString('en')} in it.`;
const TOO_WIDE = `There are more than ${MOST_COLUMNS} columns in it.`;

/** The first list among a document's members, for whoever did not say where it is. */
const listsIn = (document: unknown): string | null => {
	if (typeof document !== 'object' || document === null) return null;
	const found = Object.entries(document).find(([, value]) => Array.isArray(value));
	return found ? `/${found[0].replaceAll('~', '~0').replaceAll('/', '~1')}` : null;
};

/** Each value of a record under its own path, a JSON Pointer without the first slash; lists of plain values are one. */
function* leaves(record: object, at = '', depth = 0): Generator<readonly [string, string]> {
	for (const [name, value] of Object.entries(record)) {
		const path = `${at}${name.replaceAll('~', '~0').replaceAll('/', '~1')}`;
		if (value === null || value === undefined) yield [path, ''];
		else if (typeof value !== 'object') yield [path, String(value).slice(0, LONGEST_CELL)];
		else if (Array.isArray(value) && value.every((one) => typeof one !== 'object'))
			yield [path, value.join(', ').slice(0, LONGEST_CELL)];
		else if (depth < DEEPEST) yield* leaves(value, `${path}/`, depth + 1);
	}
}

function readCsv(text: string): TableReading {
	const [head = ''] = text.split(/\r?\n/, 1);
	const delimiter = [',', ';', '\t'].sort((a, b) => head.split(b).length - head.split(a).length)[0]!;
	const { data, errors } = Papa.parse<string[]>(text, { skipEmptyLines: 'greedy', delimiter });
	if (errors.some(({ code }) => code === 'MissingQuotes'))
		return refuse('A quoted cell does not end: the list is cut off.');
	return ofCells(data);
}

/** A table out of cells, such as those of a spreadsheet: its first row has the headings. */
export function ofCells(cells: readonly (readonly string[])[]): TableReading {
	const [head, ...rows] = cells;
	if (!head) return refuse('There is nothing in it.');
	if (head.length > MOST_COLUMNS) return refuse(TOO_WIDE);
	if (rows.length > MOST_RECORDS) return refuse(TOO_MANY);
	const headings = head.map((one) => cleanText(one).trim());
	const twice = headings.find((one, index) => one !== '' && headings.indexOf(one) !== index);
	if (twice !== undefined) return refuse(`The column “${twice}” stands twice.`);
	return { ok: true, table: { ...squared(headings, rows), isSparse: false }, next: null };
}

const squared = (headings: readonly string[], rows: readonly (readonly string[])[]) => ({
	headings,
	rows: rows.map((row) => headings.map((_, at) => (row[at] ?? '').slice(0, LONGEST_CELL).trim()))
});

/** Several pages as one table. Law: each row keeps each of its cells under its heading. */
export function joined(pages: readonly Table[]): Table {
	const headings = [...new Set(pages.flatMap((page) => page.headings))];
	return {
		headings,
		isSparse: pages.some(({ isSparse }) => isSparse),
		rows: pages.flatMap((page) => {
			const from = headings.map((heading) => page.headings.indexOf(heading));
			return page.rows.map((row) => from.map((at) => row[at] ?? ''));
		})
	};
}

/** Where the next page is by the header `Link` (RFC 8288); null: the header says of none. */
export function nextInLink(header: string | undefined): string | null {
	for (const link of (header ?? '').split(/,(?=\s*<)/)) {
		const found = /^\s*<([^>]*)>(.*)$/.exec(link);
		if (found && /;\s*rel\s*=\s*"?(?:[^";]*\s)?next(?:\s[^";]*)?"?\s*(?:;|$)/i.test(found[2]!))
			return found[1]!;
	}
	return null;
}
