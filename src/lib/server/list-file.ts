import ExcelJS from 'exceljs';
import Papa from 'papaparse';

/**
 * Lists that come as files: text in whichever encoding a spreadsheet wrote it, or XLSX. A file that is
 * neither is refused with what to do about it.
 */
export type TextReading =
	| { readonly ok: true; readonly text: string; readonly remark: string | null }
	| { readonly ok: false; readonly problem: string };
export type CellReading =
	| { readonly ok: true; readonly cells: readonly (readonly string[])[]; readonly remark: string | null }
	| { readonly ok: false; readonly problem: string };

/** Larger than this unpacked, a sheet is no list of ours (or a trap for whoever unpacks it). */
const LARGEST_UNPACKED = 120 * 1024 * 1024;
const MOST_ROWS = 20_000;

/** XLSX is a ZIP archive. */
export const isXlsx = (content: Uint8Array): boolean =>
	content[0] === 0x50 && content[1] === 0x4b && content[2] === 3 && content[3] === 4;

/** Text as UTF-8 or UTF-16 with their marks, UTF-8 without, or else Windows-1252, which is said. */
export function decodeText(content: Uint8Array): TextReading {
	const as = (encoding: string) => new TextDecoder(encoding).decode(content);
	const [first, second] = content;
	if (first === 0xff && second === 0xfe) return { ok: true, text: as('utf-16le'), remark: null };
	if (first === 0xfe && second === 0xff) return { ok: true, text: as('utf-16be'), remark: null };
	if (content.includes(0)) return { ok: false, problem: 'This is neither a CSV nor an XLSX file.' };
	try {
		return { ok: true, text: new TextDecoder('utf-8', { fatal: true }).decode(content), remark: null };
	} catch {
		return {
			ok: true,
			text: as('windows-1252'),
			remark: 'The file is not in UTF-8 and was read as Windows-1252: look at letters with marks.'
		};
	}
}

/** The cells of the first sheet, as text. Of formulas the results are taken; a merged cell counts once, at its corner. */
export async function readXlsx(content: Uint8Array): Promise<CellReading> {
	if (unpackedSize(content) > LARGEST_UNPACKED)
		return { ok: false, problem: 'This XLSX file is far larger inside than any list. Save it as CSV.' };
	const book = new ExcelJS.Workbook();
	try {
		await book.xlsx.load(Buffer.from(content) as never);
	} catch {
		return { ok: false, problem: 'This XLSX file cannot be read. Save it again, or as CSV.' };
	}
	const sheet = book.worksheets[0];
	if (!sheet) return { ok: false, problem: 'This file has no sheet.' };
	if (sheet.rowCount > MOST_ROWS)
		return { ok: false, problem: `A sheet has ${MOST_ROWS.toLocaleString('en')} rows at most.` };
	const width = sheet.columnCount;
	const cells: string[][] = [];
	sheet.eachRow((row) => {
		const read = Array.from({ length: width }, (_, index) => unescaped(textOf(row.getCell(index + 1))));
		if (read.some((cell) => cell !== '')) cells.push(read);
	});
	return { ok: true, cells, remark: null };
}

/** A list as text, whichever kind of file it came as: of a sheet the cells, parted by tabs. */
export async function readList(content: Uint8Array): Promise<TextReading> {
	if (!isXlsx(content)) return decodeText(content);
	const sheet = await readXlsx(content);
	return sheet.ok
		? { ok: true, text: Papa.unparse(sheet.cells as string[][], { delimiter: '\t' }), remark: sheet.remark }
		: sheet;
}

/** What was made harmless for a spreadsheet comes back as it was. */
export const unescaped = (cell: string): string => (/^'[=+\-@\t\r]/.test(cell) ? cell.slice(1) : cell).trim();

function textOf(cell: ExcelJS.Cell): string {
	if (cell.isMerged && cell.master !== cell) return '';
	const { value } = cell;
	if (value === null || value === undefined) return '';
	if (typeof value === 'object' && 'result' in value) return String(value.result ?? '');
	if (value instanceof Date) return value.toISOString().slice(0, 10);
	return cell.text;
}

const CENTRAL_ENTRY = 0x02014b50;
const UNPACKED_SIZE_AT = 24;
const ENTRY_HEAD = 46;

/** What the archive's own directory says it holds, in bytes (APPNOTE.TXT 4.3.12); only roughly true of a crafted one. */
function unpackedSize(content: Uint8Array): number {
	const view = new DataView(content.buffer, content.byteOffset, content.byteLength);
	let size = 0;
	for (let at = 0; at + ENTRY_HEAD <= content.length; at++)
		if (content[at] === 0x50 && view.getUint32(at, true) === CENTRAL_ENTRY)
			size += view.getUint32(at + UNPACKED_SIZE_AT, true);
	return size;
}
