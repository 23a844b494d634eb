import * as v from 'valibot';
import { tellOf } from '$lib/server/live';
import { watchArrivals } from '$lib/server/watch';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** An instant as a page says it, in milliseconds. */
const instant = v.pipe(
	v.string(),
	v.regex(/^\d{1,15}$/),
	v.transform((text) => new Date(Number(text)))
);

/**
 * Arrivals as they change, `from` when what its reader sees already was looked up; and which of `topics` change: a browser has
 * few connections, and a page needs one of them only.
 */
export const GET: RequestHandler = ({ locals, url }) => {
	const from = v.safeParse(instant, url.searchParams.get('from'));
	return personalStream(locals, (send) => {
		const stops = [
			watchArrivals(
				locals.customerId,
				seesCustomer(locals),
				(change) => send('arrivals', change),
				from.success ? from.output : null
			),
			tellOf(url.searchParams.get('topics'), seesCustomer(locals), send)
		];
		return () => stops.forEach((stop) => stop());
	});
};
