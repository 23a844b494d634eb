import { tellOf } from '$lib/server/live';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Tells which topics change, and at once that one did while the page was made, so that it can load its data again. */
export const GET: RequestHandler = ({ url, locals }) =>
	personalStream(locals, (send) =>
		tellOf(
			url.searchParams.get('topics'),
			seesCustomer(locals),
			send,
			Number(url.searchParams.get('behind')) || 0
		)
	);
