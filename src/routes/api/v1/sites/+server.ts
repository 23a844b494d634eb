import { page, readPage, sitesPage, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** Sites with how they stand, a page at a time. */
export const GET: RequestHandler = async (event) => {
	const wanted = readPage(event);
	if (wanted instanceof Response) return wanted;
	return unlessMay(event, 'see') ?? page(await sitesPage(wanted), wanted.limit);
};
