import { answer, bindingWantedSchema, once, problem, readBody, unlessMay } from '$lib/server/api';
import { bindUnit } from '$lib/server/binding';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Binds a unit to a position. */
export const POST: RequestHandler = async (event) => {
	const read = await readBody(event, bindingWantedSchema);
	if (!read.ok) return read.response;
	const { positionId, unitId } = read.body;
	const work = async () => {
		const refused = unlessMay(event, 'bind');
		if (refused) return refused;
		const act = await bindUnit(positionId, unitId, actorOf(event));
		return act.ok ? answer({ positionId, unitId, runId: act.done.runId }, 201) : problem(409, act.problem);
	};
	return once(event, read.text, work, ([bound]) =>
		answer({ positionId, unitId, runId: bound!.detail.runId }, 201)
	);
};
