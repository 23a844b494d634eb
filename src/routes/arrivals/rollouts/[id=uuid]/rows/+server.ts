import { json } from '@sveltejs/kit';
import { offsetIn } from '$lib/server/list';
import { demand } from '$lib/server/people';
import { rolloutWindow, whichIn } from '$lib/server/rollout';
import type { RequestHandler } from './$types';

/** More units of a rollout, for the page that shows it. */
export const GET: RequestHandler = async ({ locals, params, url }) => {
	demand(locals, 'see renderings');
	return json(await rolloutWindow(params.id, whichIn(url), offsetIn(url)));
};
