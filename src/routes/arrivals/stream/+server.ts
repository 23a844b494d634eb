import * as v from 'valibot';
import { watchArrivals } from '$lib/server/watch';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** An instant as a page says it, in milliseconds. */
const instant = v.pipe(
	v.string(),
	v.regex(/^\d{1,15}$/),
	v.transform((text) => new Date(Number(text)))
);

/** Arrivals as they change, `from` when what its reader sees already was looked up. */
export const GET: RequestHandler = ({ locals, url }) => {
	const from = v.safeParse(instant, url.searchParams.get('from'));
	return personalStream(locals, (send) =>
		watchArrivals(
			locals.customerId,
			seesCustomer(locals),
			(change) => send('arrivals', change),
			from.success ? from.output : null
		)
	);
};
