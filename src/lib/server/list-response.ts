import Papa from 'papaparse';
import { escaped } from './list-file';
import { writeXlsx } from './xlsx';

/** A list as a file to take away: CSV (RFC 4180, UTF-8 with its mark) or XLSX. Nothing in it is a formula. */
export async function listFile(
	name: string,
	rows: readonly (readonly string[])[],
	asXlsx: boolean
): Promise<Response> {
	const [headings = [], ...rest] = rows;
	const body = asXlsx ? new Uint8Array(await writeXlsx([{ name, headings, rows: rest }])) : writeCsv(rows);
	return fileResponse(body, name, asXlsx);
}

/** CSV (RFC 4180) with a byte order mark for spreadsheets. Nothing in it is a formula to one. */
export const writeCsv = (rows: readonly (readonly string[])[]): string =>
	`\uFEFF${Papa.unparse(
		rows.map((row) => row.map(escaped)),
		{ newline: '\r\n' }
	)}\r\n`;

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
