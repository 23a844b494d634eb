import { page, readPage, unitsPage, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** Units, a page at a time, or the one with a serial number. */
export const GET: RequestHandler = async (event) => {
	const wanted = readPage(event);
	if (wanted instanceof Response) return wanted;
	const serial = event.url.searchParams.get('serial');
	return unlessMay(event, 'see') ?? page(await unitsPage(wanted, serial), wanted.limit);
};
