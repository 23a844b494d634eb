import Papa from 'papaparse';
import { database } from '$lib/server/database';
import { ledgerFilter, readLedger } from '$lib/server/ledger';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** More than this is a matter for the database's own tools; the newest are taken. */
const MOST = 50_000;

/** The ledger as it is filtered, as CSV (RFC 4180). */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see records');
	const entries = await readLedger(database(), ledgerFilter(url, locals.customerId), MOST);
	const rows = entries.map(({ at, before, after, ...entry }) => ({
		number: entry.id,
		at: at.toISOString(),
		who: entry.actor,
		from: entry.address ?? '',
		act: entry.act,
		result: entry.result,
		customer: entry.customerName ?? '',
		kind: entry.subjectKind,
		thing: entry.subjectId,
		words: entry.words,
		before: before ? JSON.stringify(before) : '',
		after: after ? JSON.stringify(after) : '',
		reason: entry.reason ?? ''
	}));
	return new Response(`\uFEFF${Papa.unparse(rows, { escapeFormulae: true, newline: '\r\n' })}`, {
		headers: {
			'content-type': 'text/csv; charset=utf-8',
			'content-disposition': 'attachment; filename="limen-ledger.csv"'
		}
	});
};
