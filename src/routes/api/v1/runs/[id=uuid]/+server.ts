import { answer, problem, runById, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** One run as it is now. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see');
	if (refused) return refused;
	const run = await runById(event.params.id);
	return run ? answer(run) : problem(404, 'There is no such run.');
};
