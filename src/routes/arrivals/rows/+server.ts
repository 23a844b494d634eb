import { json } from '@sveltejs/kit';
import { arrivals } from '$lib/server/runs';
import { withEnds } from '$lib/server/watch';
import type { RequestHandler } from './$types';

const PAGE = 500;

/** Arrivals a page at a time, for what did not come with the page itself. */
export const GET: RequestHandler = async ({ url, locals }) => {
	const offset = Math.max(0, Math.min(1_000_000, Math.floor(Number(url.searchParams.get('offset'))) || 0));
	return json(await withEnds(await arrivals({ customerId: locals.customerId, offset, limit: PAGE })));
};
