import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { reportSchema } from '$core/report';
import { pdfResponse, printedReport } from '$lib/server/paper';
import { demand, maySee } from '$lib/server/people';
import { makeReport, sheetsOf } from '$lib/server/reports';
import { fileResponse, writeCsv } from '$lib/server/list-response';
import { writeXlsx } from '$lib/server/xlsx';
import type { RequestHandler } from './$types';

/** A report to take away: to be read (PDF), or its figures (XLSX with a sheet for each table, CSV with one below the other). */
export const GET: RequestHandler = async ({ locals, url: { searchParams: search } }) => {
	demand(locals, 'see');
	const read = v.safeParse(reportSchema, {
		customer: search.get('customer') || null,
		parts: search.getAll('part'),
		from: search.get('from'),
		to: search.get('to')
	});
	if (!read.success) error(400, read.issues[0].message);
	const report = read.output;
	const made = await makeReport(report, { records: maySee(locals, 'see records', report.customer) });
	if (!made) error(404, 'There is no such customer.');
	const name = `report-${report.from}-${report.to}`;
	const as = search.get('as');
	if (as === 'pdf') return pdfResponse(name, await printedReport(made));
	const sheets = sheetsOf(made);
	if (as === 'xlsx') return fileResponse(new Uint8Array(await writeXlsx(sheets)), name, true);
	return fileResponse(
		writeCsv(
			sheets.flatMap(({ name: title, headings, rows }) => [
				[title],
				[...headings],
				...rows.map((row) => row.map(String)),
				[]
			])
		),
		name,
		false
	);
};
