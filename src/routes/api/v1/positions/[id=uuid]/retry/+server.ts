import { answer, once, problem, unlessMay } from '$lib/server/api';
import { retryRun } from '$lib/server/binding';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Lets the unit at a position try again, or begin anew. */
export const POST: RequestHandler = (event) =>
	once(event, '', async () => {
		const refused = unlessMay(event, 'retry');
		if (refused) return refused;
		const positionId = event.params.id.toLowerCase();
		const act = await retryRun(positionId, actorOf(event));
		return act.ok
			? answer({ positionId, unitId: act.done.unitId, runId: act.done.runId }, 201)
			: problem(409, act.problem);
	});
