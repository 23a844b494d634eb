import { alertsPage, page, readPage, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** What a person should see, the oldest first, a page at a time. */
export const GET: RequestHandler = async (event) => {
	const wanted = readPage(event);
	if (wanted instanceof Response) return wanted;
	return unlessMay(event, 'see renderings') ?? page(await alertsPage(wanted), wanted.limit);
};
