import { once, problem, unlessMay } from '$lib/server/api';
import { unbindUnit } from '$lib/server/binding';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Unbinds what is bound to a position. */
export const DELETE: RequestHandler = (event) =>
	once(
		event,
		'',
		async () => {
			const refused = unlessMay(event, 'unbind');
			if (refused) return refused;
			const act = await unbindUnit(event.params.position, actorOf(event));
			return act.ok ? new Response(null, { status: 204 }) : problem(409, act.problem);
		},
		() => new Response(null, { status: 204 })
	);
