import { json } from '@sveltejs/kit';
import { readListQuery, REACH_LIST } from '$core/list';
import { offsetIn } from '$lib/server/list';
import { demand } from '$lib/server/people';
import { customerIn, reachRows } from '$lib/server/reachability';
import type { RequestHandler } from './$types';

/** More rows of the list of pairs, for the page that shows it. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, REACH_LIST);
	return json(await reachRows(customerIn(query) ?? locals.customerId, query, offsetIn(url)));
};
