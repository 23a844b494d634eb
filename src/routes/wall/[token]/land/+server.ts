import { error } from '@sveltejs/kit';
import { landResponse } from '$lib/server/plan';
import { screenAt } from '$lib/server/wall';
import type { RequestHandler } from './$types';

/** The coast of a wall's map. */
export const GET: RequestHandler = async ({ params, url }) => {
	if (!(await screenAt(params.token))) error(404, 'This screen has ended.');
	return landResponse(url);
};
