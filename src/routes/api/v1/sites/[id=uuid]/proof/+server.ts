import { answer, once, problem, unlessMay } from '$lib/server/api';
import { actorOf } from '$lib/server/people';
import { lastProof, proveSite } from '$lib/server/proof';
import type { RequestHandler } from './$types';

/** The last proof of a site, with its checks. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see');
	if (refused) return refused;
	const proof = await lastProof(event.params.id.toLowerCase());
	if (!proof) return problem(404, 'This site was never proven, or there is no such site.');
	const { id, siteId, state, begunAt, endedAt } = proof;
	const checks = proof.checks.map(
		({ positionId, positionName, unitId, kind, title, state: found, words, figures }) => ({
			...{ positionId, position: positionName, unitId, kind, title },
			...{ state: found, words, figures }
		})
	);
	return answer({ id, siteId, state, begunAt, endedAt, checks });
};

/** Proves a site. */
export const POST: RequestHandler = (event) =>
	once(
		event,
		'',
		async () => {
			const refused = unlessMay(event, 'prove');
			if (refused) return refused;
			const act = await proveSite(event.params.id.toLowerCase(), 'asked', actorOf(event));
			return act.ok ? answer(act.done, 201) : problem(409, act.problem);
		},
		([proven]) => answer(proven!.detail, 201)
	);
