import { demand } from '$lib/server/people';
import { landResponse } from '$lib/server/plan';
import type { RequestHandler } from './$types';

export const GET: RequestHandler = ({ url, locals }) => {
	demand(locals, 'see');
	return landResponse(url);
};
