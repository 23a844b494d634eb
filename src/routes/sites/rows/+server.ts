import { json } from '@sveltejs/kit';
import { readListQuery, SITE_LIST } from '$core/list';
import { offsetIn } from '$lib/server/list';
import { demand } from '$lib/server/people';
import { siteRows } from '$lib/server/plan';
import type { RequestHandler } from './$types';

/** More rows of the list of sites, for the page that shows it. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, SITE_LIST);
	return json(await siteRows(locals.customerId, query, offsetIn(url)));
};
