import { watchArrivals } from '$lib/server/watch';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Arrivals as they change. */
export const GET: RequestHandler = ({ locals }) =>
	personalStream(locals, (send) =>
		watchArrivals(locals.customerId, seesCustomer(locals), (change) => send('arrivals', change))
	);
