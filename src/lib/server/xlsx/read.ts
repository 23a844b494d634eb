import { cleanText } from '../../../core/text';
import { kindOfFormat, writeMoment, type MomentKind } from './moments';
import { LARGEST_UNPACKED, Unreadable, attribute, relations, small, unpack, walk } from './parts';

/** A sheet as text, or what is wrong with the file that it came in. */
export type CellReading =
	| { readonly ok: true; readonly cells: readonly (readonly string[])[]; readonly remark: string | null }
	| { readonly ok: false; readonly problem: string };

/**
 * The first sheet of a workbook (ISO/IEC 29500, SpreadsheetML) as text, read as it streams by: linear in
 * what the file holds inside, and bounded in rows, columns, cells, merged areas and unpacked bytes,
 * whatever the file says of itself. Styles, pictures, macros and links are never looked at.
 */
export const MOST_ROWS = 20_000;
export const MOST_COLUMNS = 300;
const MOST_CELLS = 1_000_000;
/** How many cells are looked at to blank what lies hidden under merged ones. */
const MOST_MERGED_STEPS = 5_000_000;
const LONGEST_CELL = 32_767;

/** Of formulas the kept results are taken; a merged cell counts once, at its corner. Cells come without blanks around them. */
export function readXlsx(content: Uint8Array): CellReading {
	try {
		return { ok: true, cells: cellsOf(content), remark: null };
	} catch (error) {
		if (error instanceof Unreadable) return { ok: false, problem: error.message };
		return { ok: false, problem: 'This XLSX file cannot be read. Save it again, or as CSV.' };
	}
}

interface Book {
	readonly strings: readonly string[];
	readonly kinds: readonly (MomentKind | null)[];
	readonly since1904: boolean;
}

function cellsOf(content: Uint8Array): string[][] {
	const root = relations(small(content, '_rels/.rels'), '');
	const bookPath = root.find(({ type }) => type.endsWith('/officeDocument'))?.target;
	if (!bookPath) throw new Unreadable('This is no XLSX file.');
	const folder = bookPath.slice(0, bookPath.lastIndexOf('/') + 1);
	const related = relations(small(content, `${folder}_rels/${bookPath.slice(folder.length)}.rels`), folder);
	const { sheetId, since1904 } = readBook(small(content, bookPath));
	const sheetPath = related.find(({ id }) => id === sheetId)?.target;
	if (!sheetPath) throw new Unreadable('This file has no sheet.');
	const of = (kind: string) => related.find(({ type }) => type.endsWith(`/${kind}`))?.target;
	const [stringsPath, stylesPath] = [of('sharedStrings'), of('styles')];
	const parts = unpack(content, [sheetPath, stringsPath ?? ''], LARGEST_UNPACKED);
	const strings = stringsPath ? readStrings(parts.get(stringsPath) ?? null) : [];
	const kinds = stylesPath ? readKinds(small(content, stylesPath)) : [];
	const sheet = parts.get(sheetPath);
	if (!sheet) throw new Unreadable('This file has no sheet.');
	return readSheet(sheet, { strings, kinds, since1904 });
}

function readBook(part: Uint8Array | null): { readonly sheetId: string | null; readonly since1904: boolean } {
	let sheetId: string | null = null;
	let since1904 = false;
	walk(part, {
		open: (name, tag) => {
			// The relation's id is `r:id`; beside it stands the sheet's own number as `sheetId`
			if (name === 'sheet') sheetId ??= attribute(tag, 'id') ?? null;
			if (name === 'workbookPr') since1904 = /^(1|true)$/.test(attribute(tag, 'date1904') ?? '');
		}
	});
	return { sheetId, since1904 };
}

/** Texts are collected from `t`, except from the phonetic runs that East Asian writers add. */
const isText = (path: readonly string[]): boolean => path.at(-1) === 't' && !path.includes('rPh');

function readStrings(part: Uint8Array | null): string[] {
	const strings: string[] = [];
	walk(part, {
		open: (name) => {
			if (name !== 'si') return;
			strings.push('');
			if (strings.length > MOST_CELLS) throw tooMany();
		},
		text: (text, path) => {
			if (isText(path)) strings[strings.length - 1] += text;
		}
	});
	return strings;
}

/** For each cell style, whether a number in it is a day, a time or both. */
function readKinds(part: Uint8Array | null): (MomentKind | null)[] {
	const codes = new Map<number, string>();
	const kinds: (MomentKind | null)[] = [];
	walk(part, {
		open: (name, tag, path) => {
			if (name === 'numFmt')
				codes.set(Number(attribute(tag, 'numFmtId')), attribute(tag, 'formatCode') ?? '');
			if (name === 'xf' && path.at(-2) === 'cellXfs') {
				const id = Number(attribute(tag, 'numFmtId') ?? 0);
				kinds.push(kindOfFormat(id, codes.get(id)));
			}
		}
	});
	return kinds;
}

const tooMany = () =>
	new Unreadable(
		`A sheet has ${MOST_CELLS.toLocaleString('en')} cells at most. Save the part you need as CSV.`
	);

/** `BC12` as column 54 and row 11, counted from 0; null for what is no cell. */
function placeOf(reference: string | undefined): { readonly column: number; readonly row: number } | null {
	const [, letters, digits] = /^\$?([A-Z]{1,3})\$?(\d{1,7})$/.exec(reference ?? '') ?? [];
	if (!letters || !digits) return null;
	let column = 0;
	for (const letter of letters) column = column * 26 + letter.charCodeAt(0) - 64;
	return { column: column - 1, row: Number(digits) - 1 };
}

function readSheet(part: Uint8Array, book: Book): string[][] {
	const rows = new Map<number, string[]>();
	const merged: string[] = [];
	let [row, column, cells] = [-1, -1, 0];
	let cell: { type: string; style: number; value: string; formula: boolean; kept: boolean } | null = null;

	const put = () => {
		const value = cleanText(textOf(cell!, book, () => nameOf(row, column))).trim();
		if (value === '') return;
		if (column >= MOST_COLUMNS)
			throw new Unreadable(`A sheet has ${MOST_COLUMNS} columns at most; ${nameOf(row, column)} is beyond.`);
		let line = rows.get(row);
		if (!line) {
			rows.set(row, (line = []));
			if (rows.size > MOST_ROWS)
				throw new Unreadable(`A sheet has ${MOST_ROWS.toLocaleString('en')} rows at most.`);
		}
		while (line.length < column) line.push('');
		line[column] = value;
	};

	walk(part, {
		open: (name, tag, path) => {
			if (name === 'row') {
				const number = Number(attribute(tag, 'r'));
				row = Number.isSafeInteger(number) && number > 0 ? number - 1 : row + 1;
				column = -1;
			} else if (name === 'c') {
				if (++cells > MOST_CELLS) throw tooMany();
				column = placeOf(attribute(tag, 'r'))?.column ?? column + 1;
				cell = {
					type: attribute(tag, 't') ?? 'n',
					style: Number(attribute(tag, 's') ?? 0),
					value: '',
					formula: false,
					kept: false
				};
			} else if (name === 'f' && cell) cell.formula = true;
			else if (name === 'v' && cell) cell.kept = true;
			else if (name === 'mergeCell' && path.at(-2) === 'mergeCells') merged.push(attribute(tag, 'ref') ?? '');
		},
		text: (text, path) => {
			if (!cell || (path.at(-1) !== 'v' && !(path.includes('is') && isText(path)))) return;
			cell.value += text;
			if (cell.value.length > LONGEST_CELL)
				throw new Unreadable(`The text in ${nameOf(row, column)} is longer than a cell can hold.`);
		},
		close: (name) => {
			if (name !== 'c' || !cell) return;
			put();
			cell = null;
		}
	});
	blankMerged(rows, merged);
	const width = [...rows.values()].reduce((most, line) => Math.max(most, line.length), 0);
	return [...rows]
		.sort(([a], [b]) => a - b)
		.map(([, line]) => [...line, ...Array<string>(width - line.length).fill('')])
		.filter((line) => line.some((one) => one !== ''));
}

function nameOf(row: number, column: number): string {
	let letters = '';
	for (let rest = column + 1; rest > 0; rest = Math.floor((rest - 1) / 26))
		letters = String.fromCharCode(65 + ((rest - 1) % 26)) + letters;
	return letters + (row + 1);
}

function textOf(
	cell: { type: string; style: number; value: string; formula: boolean; kept: boolean },
	{ strings, kinds, since1904 }: Book,
	name: () => string
): string {
	const { type, value } = cell;
	if (cell.formula && !cell.kept)
		throw new Unreadable(
			`${name()} holds a formula whose result is not in the file. Open the file in a spreadsheet and save it again, or save it as CSV.`
		);
	if (type === 's') return strings[Number(value)] ?? '';
	if (type === 'b') return value === '1' ? 'TRUE' : value === '0' ? 'FALSE' : value;
	if (type !== 'n' || value.trim() === '') return value;
	const number = Number(value);
	if (!Number.isFinite(number)) return value;
	const kind = kinds[cell.style] ?? null;
	// A number of text's precision: what was typed as 1.1 is kept as 1.1000000000000001
	return kind === null ? String(number) : (writeMoment(number, kind, since1904) ?? String(number));
}

/** What lies under a merged cell beside its corner is not seen in a spreadsheet, and not read. */
function blankMerged(rows: ReadonlyMap<number, string[]>, merged: readonly string[]): void {
	let steps = 0;
	for (const reference of merged) {
		const [from, to] = reference.split(':').map(placeOf);
		if (!from || !to) continue;
		const last = Math.min(to.column, MOST_COLUMNS - 1);
		const blank = (row: number, line: string[]) => {
			steps += 1;
			for (let column = from.column; column <= Math.min(last, line.length - 1); column++, steps++)
				if (row !== from.row || column !== from.column) line[column] = '';
			if (steps > MOST_MERGED_STEPS)
				throw new Unreadable('This sheet has too many merged cells. Save it as CSV.');
		};
		if (to.row - from.row < rows.size)
			for (let row = from.row; row <= to.row; row++) {
				const line = rows.get(row);
				steps += 1;
				if (line) blank(row, line);
			}
		else for (const [row, line] of rows) if (row >= from.row && row <= to.row) blank(row, line);
	}
}
