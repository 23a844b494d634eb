import writeExcelFile from 'write-excel-file/node';

/** A sheet to be written: a heading row that stays in sight, and rows of text; what is a number here is one there. */
export interface SheetWanted {
	readonly name: string;
	readonly headings: readonly string[];
	readonly rows: readonly (readonly (string | number)[])[];
	/** Columns that stay in sight too. */
	readonly sticky?: number;
	readonly widths?: readonly number[];
}
const NARROWEST = 14;

/** A workbook (ISO/IEC 29500) in which every text is told as text: a serial number keeps its zeros, and nothing is a formula. */
export const writeXlsx = (sheets: readonly SheetWanted[]): Promise<Buffer> =>
	writeExcelFile(
		sheets.map(({ name, headings, rows, sticky = 0, widths }) => ({
			sheet: name,
			stickyRowsCount: 1,
			...(sticky > 0 && { stickyColumnsCount: sticky }),
			columns: headings.map((heading, index) => ({
				width: widths?.[index] ?? Math.max(NARROWEST, heading.length + 2)
			})),
			data: [
				headings.map((value) => ({ value, type: String, fontWeight: 'bold' as const })),
				...rows.map((row) =>
					row.map((value) => {
						if (typeof value === 'number') return { value, type: Number };
						return value === '' ? null : { value, type: String, format: '@' };
					})
				)
			]
		}))
	).toBuffer();
