import { eventStream } from '$lib/server/live';
import { watchArrivals } from '$lib/server/onboarding';
import type { RequestHandler } from './$types';

/** Arrivals as they change. */
export const GET: RequestHandler = ({ locals }) =>
	eventStream((send) => watchArrivals(locals.customerId, (change) => send('arrivals', change)));
