import { subscribe, TOPICS } from '$lib/server/live';
import { personalStream, seesCustomer } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Tells which topics change, so that a page can load its data again. */
export const GET: RequestHandler = ({ url, locals }) => {
	const topics = new Set(
		(url.searchParams.get('topics') ?? '')
			.split(',')
			.slice(0, 10)
			.filter((topic) => (TOPICS as readonly string[]).includes(topic))
	);
	return personalStream(locals, (send) =>
		subscribe(({ topic }) => void (topics.has(topic) && send('change', topic)), seesCustomer(locals))
	);
};
