import { json } from '@sveltejs/kit';
import { demand } from '$lib/server/people';
import { needingSomebody } from '$lib/server/runs';
import type { RequestHandler } from './$types';

/** How many units need a person: the number in the tab's title. */
export const GET: RequestHandler = async ({ locals }) => {
	demand(locals, 'see');
	return json(
		{ count: await needingSomebody(locals.customerId) },
		{ headers: { 'cache-control': 'no-store' } }
	);
};
