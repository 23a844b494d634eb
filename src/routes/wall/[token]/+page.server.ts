import { error } from '@sveltejs/kit';
import { wallAt } from '$lib/server/wall';
import type { PageServerLoad } from './$types';

/** A screen on a wall. Its address is all that it asks for. */
export const load: PageServerLoad = async ({ params, setHeaders }) => {
	setHeaders({ 'cache-control': 'private, no-store', 'referrer-policy': 'no-referrer' });
	const wall = await wallAt(params.token);
	if (!wall)
		error(404, 'This screen has ended. An administrator makes another address under People, Wall screens.');
	return { wall, token: params.token };
};
