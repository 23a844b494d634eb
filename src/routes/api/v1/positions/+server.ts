import { page, positionsPage, readPage, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** Positions, a page at a time. */
export const GET: RequestHandler = async (event) => {
	const wanted = readPage(event);
	if (wanted instanceof Response) return wanted;
	return unlessMay(event, 'see') ?? page(await positionsPage(wanted), wanted.limit);
};
