import { tellOf } from '$lib/server/live';
import { watchArrivals } from '$lib/server/watch';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/**
 * Arrivals as they change, and which of `topics` change: a browser has few connections, and a page needs one of them only.
 */
export const GET: RequestHandler = ({ locals, url }) =>
	personalStream(locals, (send) => {
		const stops = [
			watchArrivals(
				locals.customerId,
				seesCustomer(locals),
				(change) => send('arrivals', change),
				() => send('anew', null)
			),
			tellOf(url.searchParams.get('topics'), seesCustomer(locals), send)
		];
		return () => stops.forEach((stop) => stop());
	});
