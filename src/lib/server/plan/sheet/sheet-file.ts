import Papa from 'papaparse';
import { describeType } from '../../../../core/profile';
import { cellsOfXlsx, decodeText, isXlsx, unescaped, type CellReading } from '../../list-file';
import { writeCsv } from '../../list-response';
import { writeXlsx } from '../../xlsx';
import type { SheetColumn, SheetRow } from './sheet';
import type { CellProblem, ValueChange } from './values';

/**
 * The value sheet as a file, out and in. Rows are known by customer, site and position: no serial number
 * is needed. A row that begins with “#” explains the columns and is passed over when it comes back.
 */
const KEYS = ['customer', 'site', 'position'] as const;

const headings = (columns: readonly SheetColumn[]) => [...KEYS, ...columns.map(({ field }) => field.name)];
const explained = (columns: readonly SheetColumn[]) => [
	'#',
	'leave these',
	'three as they are',
	...columns.map(({ field, target }) =>
		[
			`${field.need}, per ${target}: ${describeType(field.type)}`,
			field.description,
			field.formula === undefined ? '' : `computed when empty: ${field.formula}`,
			field.example && `such as ${field.example}`
		]
			.filter(Boolean)
			.join('. ')
	)
];
const cellsOf = ({ customer, site, position, cells }: SheetRow) => [customer, site, position, ...cells];

/** As CSV: the row below the headings explains the columns. */
export const sheetAsCsv = (columns: readonly SheetColumn[], rows: readonly SheetRow[]): string =>
	writeCsv([headings(columns), explained(columns), ...rows.map(cellsOf)]);

/** As XLSX: the values as text on the first sheet, what the columns mean on the second. */
export const sheetAsXlsx = (columns: readonly SheetColumn[], rows: readonly SheetRow[]): Promise<Buffer> =>
	writeXlsx([
		{ name: 'Values', sticky: 3, headings: headings(columns), rows: rows.map(cellsOf) },
		{
			name: 'What the columns mean',
			headings: [
				'column',
				'what it is for',
				'accepts',
				'needed',
				'given at',
				'such as',
				'computed when empty'
			],
			widths: [24, 50, 40, 14, 12, 30, 34],
			rows: columns.map(({ field, target }) => [
				field.name,
				field.description,
				describeType(field.type),
				field.need,
				target,
				field.example,
				field.formula ?? ''
			])
		}
	]);

/** The cells of a file, whichever of the two it is. Of formulas the results are taken. */
export async function readSheetFile(content: Buffer): Promise<CellReading> {
	if (isXlsx(content)) return cellsOfXlsx(content);
	const decoded = decodeText(content);
	if (!decoded.ok) return decoded;
	// The headings tell how cells are parted: what stands in the cells may hold any of the marks
	const [head = ''] = decoded.text.split(/\r?\n/, 1);
	const delimiter = [',', ';', '\t'].sort((a, b) => head.split(b).length - head.split(a).length)[0]!;
	const { data } = Papa.parse<string[]>(decoded.text, { skipEmptyLines: 'greedy', delimiter });
	return { ok: true, cells: data.map((row) => row.map(unescaped)), remark: decoded.remark };
}

export interface SheetComparison {
	/** What would change, cell by cell. */
	readonly changes: readonly (ValueChange & { readonly place: string })[];
	readonly problems: readonly string[];
	/** Columns that the profile asks for and the file does not have: they stay as they are. */
	readonly missing: readonly string[];
}

/** What a file would change. Columns may come in any order; rows are found by their three names. */
export function compareSheet(
	cells: readonly (readonly string[])[],
	columns: readonly SheetColumn[],
	rows: readonly SheetRow[]
): SheetComparison {
	const problems: string[] = [];
	const head = (cells[0] ?? []).map((cell) => cell.toLowerCase());
	const at = (name: string) => head.indexOf(name);
	const repeated = head.find((name, index) => name !== '' && head.indexOf(name) !== index);
	if (repeated) problems.push(`The column “${repeated}” stands twice.`);
	for (const key of ['site', 'position'])
		if (at(key) < 0) problems.push(`There is no column “${key}”. The first row must name the columns.`);
	for (const name of head)
		if (
			name !== '' &&
			!(KEYS as readonly string[]).includes(name) &&
			!columns.some(({ field }) => field.name === name)
		)
			problems.push(`The profile has no field “${name}”.`);
	const missing = columns.map(({ field }) => field.name).filter((name) => at(name) < 0);
	if (problems.length > 0) return { changes: [], problems, missing };
	const keyOf = (customer: string, site: string, position: string) =>
		JSON.stringify([customer, site, position].map((one) => one.toLowerCase()));
	const several = new Set(rows.map(({ customer }) => customer)).size > 1;
	const byKey = new Map(rows.map((row) => [keyOf(several ? row.customer : '', row.site, row.position), row]));
	const seen = new Map<string, number>();
	const changes: (ValueChange & { place: string })[] = [];
	cells.slice(1).forEach((row, index) => {
		const line = index + 2;
		const cell = (name: string) => (row[at(name)] ?? '').trim();
		if (row[0]?.startsWith('#')) return;
		const place = `${cell('site')} ${cell('position')}`;
		const key = keyOf(several ? cell('customer') : '', cell('site'), cell('position'));
		const found = byKey.get(key);
		if (!found) {
			problems.push(`Line ${line}: there is no position “${place}” with this profile.`);
			return;
		}
		const before = seen.get(key);
		if (before !== undefined) {
			problems.push(`Line ${line}: “${place}” stands in line ${before} already.`);
			return;
		}
		seen.set(key, line);
		columns.forEach(({ field: { name }, target }, number) => {
			if (at(name) < 0 || found.cells[number] === cell(name)) return;
			changes.push({
				positionId: found.positionId,
				field: name,
				target,
				was: found.cells[number]!,
				now: cell(name),
				place
			});
		});
	});
	return { changes, problems, missing };
}

/** Problems of cells with the places they are at, for a list. */
export const placed = (
	cells: readonly CellProblem[],
	changes: readonly { readonly positionId: string; readonly place: string }[]
): readonly string[] =>
	cells.map(
		({ positionId, field, message }) =>
			`${changes.find((change) => change.positionId === positionId)?.place ?? ''}, ${field}: ${message}`
	);
