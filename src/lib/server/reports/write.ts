import { shareOf, shareWords, siteUptimes, worstOf, type Span, type UptimeRow } from '../../../core/health';
import type { Block, ReportDocument } from '../../../core/report';
import { writeCsv } from '../list-response';
import { writeXlsx } from '../xlsx';
import type { Wanted } from './parts';

/** A table as it was read: its rows are JSON. */
export interface Gathered extends Omit<Wanted, 'sql'> {
	readonly most: number;
	readonly text: string;
}
/** A report as it was read. */
export interface Unwritten extends Omit<ReportDocument, 'blocks'> {
	readonly period: Span;
	readonly now: number;
	readonly tables: readonly Gathered[];
}
type Table = Extract<Block, { kind: 'table' }>;

/** What is kept of a report: its files, and its beginning for a page. */
export interface Written {
	readonly shown: ReportDocument;
	readonly pdf: Uint8Array;
	readonly xlsx: Uint8Array;
	readonly csv: Uint8Array;
}

/** Rows of a table on a page, and on paper: who reads further reckons, and has the figures for that. */
const MOST_SHOWN = 200;
const MOST_PRINTED = 1_000;

/** A report as a page shows it. Worked beside the main thread. */
export const showReport = (unwritten: Unwritten): ReportDocument =>
	shortened(documentOf(unwritten), MOST_SHOWN);

/** A report with all of its files. Worked beside the main thread. */
export async function writeReport(
	unwritten: Unwritten,
	print: (document: ReportDocument) => Promise<Uint8Array>
): Promise<Written> {
	const document = documentOf(unwritten);
	const sheets = sheetsOf(document);
	return {
		shown: shortened(document, MOST_SHOWN),
		pdf: await print(shortened(document, MOST_PRINTED)),
		xlsx: new Uint8Array(await writeXlsx(sheets)),
		csv: new TextEncoder().encode(
			writeCsv(
				sheets.flatMap(({ name, headings, rows }) => [
					[name],
					[...headings],
					...rows.map((row) => row.map(String)),
					[]
				])
			)
		)
	};
}

function documentOf({ period, now, tables, ...document }: Unwritten): ReportDocument {
	return { ...document, blocks: tables.map((table) => tableOf(table, period, now)) };
}

function tableOf({ text, as, most, ...table }: Gathered, period: Span, now: number): Table {
	const read: readonly unknown[] = JSON.parse(text);
	const values =
		as === 'uptimes'
			? uptimeValues(read as UptimeRow[], period, now)
			: read.map((row) => Object.values(row!));
	const figures = table.columns.flatMap((_, at) =>
		values.length > 0 && values.every((row) => row[at] === null || typeof row[at] === 'number') ? [at] : []
	);
	return {
		kind: 'table',
		...table,
		figures,
		rows: values.slice(0, most).map((row) => row.map((value) => String(value ?? ''))),
		more: Math.max(0, values.length - most)
	};
}

/** The worst sites first. */
const uptimeValues = (rows: readonly UptimeRow[], period: Span, now: number): unknown[][] =>
	[...siteUptimes(rows, period, now)]
		.sort((one, other) => shareOf(one) - shareOf(other))
		.map((site) => {
			const worst = worstOf(site);
			return [
				site.customerName,
				site.siteName,
				shareWords(site.uptime) ?? NOT_IN_SERVICE,
				site.steady + site.units.length,
				worst ? `${worst.positionName}, ${shareWords(worst.uptime) ?? NOT_IN_SERVICE}` : 'none was away'
			];
		});
const NOT_IN_SERVICE = 'not in service then';

const shortened = (document: ReportDocument, most: number): ReportDocument => ({
	...document,
	blocks: document.blocks.map((block) =>
		block.kind === 'table' && block.rows.length > most
			? { ...block, rows: block.rows.slice(0, most), more: (block.more ?? 0) + block.rows.length - most }
			: block
	)
});

const LONGEST_NAME = 31;
/** The tables of a report as sheets of a workbook. */
const sheetsOf = ({ blocks }: ReportDocument) =>
	blocks.flatMap((block) =>
		block.kind === 'table'
			? [
					{
						name: block.title.slice(0, LONGEST_NAME),
						headings: block.columns,
						rows: [
							...block.rows.map((row) =>
								row.map((cell, at) => (block.figures?.includes(at) && cell !== '' ? Number(cell) : cell))
							),
							...(block.more
								? [[`And more: at most ${block.rows.length.toLocaleString('en')} are told.`]]
								: [])
						]
					}
				]
			: []
	);
