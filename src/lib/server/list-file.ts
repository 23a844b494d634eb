import Papa from 'papaparse';
import { cleanText } from '../../core/text';
import { GivenUp, offMainThread, task } from './threads';
import type { CellReading } from './xlsx';

/**
 * Lists that come as files: text in whichever encoding a spreadsheet wrote it, or XLSX. A file that is
 * neither is refused with what to do about it.
 */
export type TextReading =
	| { readonly ok: true; readonly text: string; readonly remark: string | null }
	| { readonly ok: false; readonly problem: string };
export type { CellReading };

/** XLSX is a ZIP archive. */
export const isXlsx = (content: Uint8Array): boolean =>
	content[0] === 0x50 && content[1] === 0x4b && content[2] === 3 && content[3] === 4;

/** Text as UTF-8 or UTF-16 with their marks, UTF-8 without, or else Windows-1252, which is said. */
export function decodeText(content: Uint8Array): TextReading {
	const as = (encoding: string) => cleanText(new TextDecoder(encoding).decode(content));
	const [first, second] = content;
	if (first === 0xff && second === 0xfe) return { ok: true, text: as('utf-16le'), remark: null };
	if (first === 0xfe && second === 0xff) return { ok: true, text: as('utf-16be'), remark: null };
	if (content.includes(0)) return { ok: false, problem: 'This is neither a CSV nor an XLSX file.' };
	try {
		return {
			ok: true,
			text: cleanText(new TextDecoder('utf-8', { fatal: true }).decode(content)),
			remark: null
		};
	} catch {
		return {
			ok: true,
			text: as('windows-1252'),
			remark: 'The file is not in UTF-8 and was read as Windows-1252: look at letters with marks.'
		};
	}
}

const READ_XLSX = task<Uint8Array, CellReading>('readXlsx');

/** The cells of an XLSX file's first sheet, as text; read beside the main thread. */
export async function cellsOfXlsx(content: Uint8Array): Promise<CellReading> {
	try {
		return await offMainThread(READ_XLSX, content);
	} catch (error) {
		if (!(error instanceof GivenUp)) throw error;
		return { ok: false, problem: 'This XLSX file takes too long to read. Save it as CSV.' };
	}
}

/** A list as text, whichever kind of file it came as: of a sheet the cells, parted by tabs. */
export async function readList(content: Uint8Array): Promise<TextReading> {
	if (!isXlsx(content)) return decodeText(content);
	const sheet = await cellsOfXlsx(content);
	return sheet.ok
		? { ok: true, text: Papa.unparse(sheet.cells as string[][], { delimiter: '\t' }), remark: sheet.remark }
		: sheet;
}

/**
 * Cells that a spreadsheet would take for formulas are made harmless by a quote in front of them, and come
 * back as they were: a cell that begins with such quotes itself gets one more, so that none is lost.
 */
const FORMULA = /^'*[=+\-@\t\r]/;
const ESCAPED = /^'+[=+\-@\t\r]/;
/** A negative number is one, and no formula. */
const NUMBER = /^-\d+(?:\.\d+)?$/;
export const escaped = (cell: string): string =>
	FORMULA.test(cell) && !NUMBER.test(cell) ? `'${cell}` : cell;
export const unescaped = (cell: string): string => (ESCAPED.test(cell) ? cell.slice(1) : cell).trim();
