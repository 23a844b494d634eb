import { strToU8, zipSync } from 'fflate';

/** Workbooks as other programs write them, made by hand from ISO/IEC 29500, down to what is wrong with them. */
export type Cell = string | number | boolean | null | { formula: string; result?: string | number } | { serial: number; format: string }; // prettier-ignore

const xml = (text: string) => text.replace(/[<>&"]/g, (mark) => `&#${mark.charCodeAt(0)};`);
const column = (index: number): string =>
	(index >= 26 ? column(Math.floor(index / 26) - 1) : '') + String.fromCharCode(65 + (index % 26));

/** A workbook whose first sheet is given as XML, for what no helper would write. */
export function workbookOf(sheet: string, { styles = '', strings = '', date1904 = false } = {}): Uint8Array {
	const relation = (id: string, type: string, target: string) =>
		`<Relationship Id="${id}" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/${type}" Target="${target}"/>`;
	const relations = (some: string) =>
		`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${some}</Relationships>`;
	const main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"';
	const files = {
		'_rels/.rels': relations(relation('r1', 'officeDocument', 'xl/workbook.xml')),
		'xl/workbook.xml': `<workbook ${main} xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><workbookPr date1904="${date1904 ? 1 : 0}"/><sheets><sheet name="x" sheetId="1" r:id="r1"/></sheets></workbook>`,
		'xl/_rels/workbook.xml.rels': relations(
			relation('r1', 'worksheet', 'worksheets/sheet1.xml') +
				relation('r2', 'styles', 'styles.xml') +
				relation('r3', 'sharedStrings', 'sharedStrings.xml')
		),
		'xl/styles.xml': `<styleSheet ${main}>${styles}</styleSheet>`,
		'xl/sharedStrings.xml': `<sst ${main}>${strings}</sst>`,
		'xl/worksheets/sheet1.xml': `<worksheet ${main}>${sheet}</worksheet>`
	};
	return zipSync(
		Object.fromEntries(
			Object.entries(files).map(([name, text]) => [name, strToU8(`<?xml version="1.0"?>${text}`)])
		)
	);
}

/** A workbook of plain cells; texts are shared, as most programs write them. */
export function workbook(rows: readonly (readonly Cell[])[], merged: readonly string[] = []): Uint8Array {
	const strings: string[] = [];
	const formats: string[] = [];
	const cell = (value: Cell, at: string): string => {
		if (value === null) return '';
		if (typeof value === 'string') return `<c r="${at}" t="s"><v>${strings.push(value) - 1}</v></c>`;
		if (typeof value === 'number') return `<c r="${at}"><v>${value}</v></c>`;
		if (typeof value === 'boolean') return `<c r="${at}" t="b"><v>${Number(value)}</v></c>`;
		if ('serial' in value) return `<c r="${at}" s="${formats.push(value.format)}"><v>${value.serial}</v></c>`;
		const kept = value.result === undefined ? '' : `<v>${xml(String(value.result))}</v>`;
		const type = typeof value.result === 'string' ? ' t="str"' : '';
		return `<c r="${at}"${type}><f>${xml(value.formula)}</f>${kept}</c>`;
	};
	const data = rows
		.map(
			(row, y) =>
				`<row r="${y + 1}">${row.map((value, x) => cell(value, `${column(x)}${y + 1}`)).join('')}</row>`
		)
		.join('');
	const merges = merged.map((ref) => `<mergeCell ref="${ref}"/>`).join('');
	return workbookOf(`<sheetData>${data}</sheetData>${merges && `<mergeCells>${merges}</mergeCells>`}`, {
		strings: strings.map((text) => `<si><t xml:space="preserve">${xml(text)}</t></si>`).join(''),
		styles: `<numFmts>${formats.map((code, index) => `<numFmt numFmtId="${200 + index}" formatCode="${xml(code)}"/>`).join('')}</numFmts><cellXfs><xf numFmtId="0"/>${formats.map((_, index) => `<xf numFmtId="${200 + index}"/>`).join('')}</cellXfs>`
	});
}
