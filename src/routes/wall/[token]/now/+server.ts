import { error, json } from '@sveltejs/kit';
import { wallAt } from '$lib/server/wall';
import type { RequestHandler } from './$types';

/** The same as data, for the screen that stays on. */
export const GET: RequestHandler = async ({ params }) => {
	const wall = await wallAt(params.token);
	if (!wall) error(404, 'This screen has ended.');
	return json(wall, { headers: { 'cache-control': 'private, no-store' } });
};
