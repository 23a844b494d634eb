import { error } from '@sveltejs/kit';
import { expectedProgressAt } from '$lib/server/watch';
import type { PageServerLoad } from './$types';

/** A site's progress in plain words, for whoever holds its card. The address is all that it asks for. */
export const load: PageServerLoad = async ({ params, setHeaders }) => {
	setHeaders({ 'cache-control': 'private, no-store', 'referrer-policy': 'no-referrer' });
	const progress = await expectedProgressAt(params.token, Date.now());
	if (!progress)
		error(404, 'This address is not good any more. Ask whoever gave you the card for a new one.');
	return { progress, token: params.token };
};
