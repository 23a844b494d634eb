import { error } from '@sveltejs/kit';
import { FACT_HEADINGS, FACT_NAMES, valueHeading } from '$core/plan';
import { database } from '$lib/server/database';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { explainColumn, patternById, stampColumns } from '$lib/server/plan';
import * as v from 'valibot';
import type { RequestHandler } from './$types';

/** A sheet to be filled with sites: exactly the columns that the pattern can take, and a row that explains them. */
export const GET: RequestHandler = async ({ url, locals }) => {
	const id = v.safeParse(v.pipe(v.string(), v.uuid()), url.searchParams.get('pattern'));
	const pattern = id.success ? await patternById(database(), id.output) : null;
	if (!pattern) error(404, 'There is no such pattern.');
	demand(locals, 'plan sites', pattern.customerId);
	const columns = await stampColumns(pattern);
	const facts = FACT_NAMES.map((name) => FACT_HEADINGS[name]);
	const explained = ['# leave this row', ...facts.slice(1).map(() => ''), 'such as 2026-12-01 09:30', ''];
	return listFile(
		'sites',
		[
			[...facts, 'appointment', 'technician', ...columns.map(valueHeading)],
			[...explained, ...columns.map(explainColumn)]
		],
		url.searchParams.get('as') === 'xlsx'
	);
};
