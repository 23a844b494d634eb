import { answer, problem, reachabilityOf, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** Whom a site reaches, and who reaches it. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see');
	if (refused) return refused;
	const items = await reachabilityOf(event.params.id.toLowerCase());
	return items ? answer({ items }) : problem(404, 'There is no such site.');
};
