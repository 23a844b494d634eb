import { error, json } from '@sveltejs/kit';
import { batchHead, batchProgress } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** How far the makers have confirmed a batch, for the page that took it in. */
export const GET: RequestHandler = async ({ params, locals }) => {
	const head = await batchHead(params.id);
	if (!head) error(404, 'There is no such batch.');
	demand(locals, 'see', head.customerId);
	return json(await batchProgress(params.id));
};
