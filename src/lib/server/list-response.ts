import ExcelJS from 'exceljs';
import Papa from 'papaparse';

/** A list as a file to take away: CSV (RFC 4180, UTF-8 with its mark) or XLSX. Nothing in it is a formula. */
export async function listFile(
	name: string,
	rows: readonly (readonly string[])[],
	asXlsx: boolean
): Promise<Response> {
	const body = asXlsx
		? await asSheet(name, rows)
		: `\uFEFF${Papa.unparse(rows as string[][], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
	return fileResponse(body, name, asXlsx);
}

/** A file to take away, with its name and kind. */
export const fileResponse = (body: BodyInit, name: string, asXlsx: boolean): Response =>
	new Response(body, {
		headers: {
			'content-type': asXlsx
				? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'
				: 'text/csv; charset=utf-8',
			'content-disposition': `attachment; filename="${name}.${asXlsx ? 'xlsx' : 'csv'}"`
		}
	});

const NARROWEST = 14;
async function asSheet(name: string, [head = [], ...rows]: readonly (readonly string[])[]) {
	const book = new ExcelJS.Workbook();
	const sheet = book.addWorksheet(name, { views: [{ state: 'frozen', ySplit: 1 }] });
	sheet.columns = head.map((header) => ({
		header,
		width: Math.max(NARROWEST, header.length + 2),
		style: { numFmt: '@' }
	}));
	sheet.getRow(1).font = { bold: true };
	for (const row of rows) sheet.addRow([...row]);
	return new Uint8Array(await book.xlsx.writeBuffer());
}
