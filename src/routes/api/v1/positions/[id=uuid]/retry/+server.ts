import { answer, once, problem, unlessMay } from '$lib/server/api';
import { retryRun } from '$lib/server/binding';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Lets the unit at a position try again, or begin anew. */
export const POST: RequestHandler = (event) => {
	const positionId = event.params.id.toLowerCase();
	const retried = (unitId: string, runId: unknown) => answer({ positionId, unitId, runId }, 201);
	const work = async () => {
		const refused = unlessMay(event, 'retry');
		if (refused) return refused;
		const act = await retryRun(positionId, actorOf(event));
		return act.ok ? retried(act.done.unitId, act.done.runId) : problem(409, act.problem);
	};
	return once(event, '', work, ([done]) => retried(done!.subjectId, done!.detail.runId));
};
