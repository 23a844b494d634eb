import { eventStream, subscribe, type Topic } from '$lib/server/live';
import type { RequestHandler } from './$types';

/** Tells which topics change, so that a page can load its data again. */
export const GET: RequestHandler = ({ url }) => {
	const topics = new Set((url.searchParams.get('topics') ?? '').split(',').slice(0, 10) as Topic[]);
	return eventStream((send) =>
		subscribe((change) => void (topics.has(change.topic) && send('change', change.topic)))
	);
};
