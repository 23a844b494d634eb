import { timeNow } from '$lib/server/database';
import { error, json } from '@sveltejs/kit';
import { expectedProgressAt } from '$lib/server/watch';
import type { RequestHandler } from './$types';

/** The same as data, for the page that stays open. */
export const GET: RequestHandler = async ({ params }) => {
	const progress = await expectedProgressAt(params.token, timeNow());
	if (!progress) error(404, 'This address is not good any more.');
	return json(progress, { headers: { 'cache-control': 'private, no-store' } });
};
