import { json } from '@sveltejs/kit';
import { readListQuery, UNIT_LIST } from '$core/list';
import { unitRows } from '$lib/server/intake';
import { offsetIn } from '$lib/server/list';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** More rows of the list of units, for the page that shows it. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, UNIT_LIST);
	return json(await unitRows(locals.customerId, query, offsetIn(url)));
};
