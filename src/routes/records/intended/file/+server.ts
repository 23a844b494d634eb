import { database } from '$lib/server/database';
import { intendedBetween, intendedDocument, intendedRows } from '$lib/server/drift';
import { listFile } from '$lib/server/list-response';
import { printedReport } from '$lib/server/paper';
import { customersWhere, demand } from '$lib/server/people';
import { spanIn } from '../span';
import type { RequestHandler } from './$types';

/** When units were as intended, to take away: CSV, XLSX or PDF. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see renderings');
	const report = await intendedBetween(
		customersWhere(locals, 'see renderings', locals.customerId),
		spanIn(url)
	);
	const wanted = url.searchParams.get('as');
	if (wanted !== 'pdf') return listFile('as-intended', intendedRows(report), wanted === 'xlsx');
	const customer = locals.customerId
		? (await database()('customer').where({ id: locals.customerId }).first('name'))?.name
		: undefined;
	const names = new Set(report.units.map(({ customerName }) => customerName));
	const pdf = await printedReport(
		intendedDocument(report, customer ?? (names.size === 1 ? [...names][0]! : 'All customers'))
	);
	return new Response(new Uint8Array(pdf), {
		headers: {
			'content-type': 'application/pdf',
			'content-disposition': 'attachment; filename="as-intended.pdf"'
		}
	});
};
