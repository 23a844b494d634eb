import { namedPage, page, readPage, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** Profiles in use, a page at a time. */
export const GET: RequestHandler = async (event) => {
	const wanted = readPage(event);
	if (wanted instanceof Response) return wanted;
	return unlessMay(event, 'see') ?? page(await namedPage('profile', wanted), wanted.limit);
};
