import { answer, batchById, problem, unlessMay } from '$lib/server/api';
import type { RequestHandler } from './$types';

/** A batch with what came of each row. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see');
	if (refused) return refused;
	const batch = await batchById(event.params.id);
	return batch ? answer(batch) : problem(404, 'There is no such batch.');
};
