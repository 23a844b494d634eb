import { tellOf } from '$lib/server/live';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Tells which topics change, so that a page can load its data again. */
export const GET: RequestHandler = ({ url, locals }) =>
	personalStream(locals, (send) => tellOf(url.searchParams.get('topics'), seesCustomer(locals), send));
