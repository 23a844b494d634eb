import { answer, problem, unlessMay } from '$lib/server/api';
import { GivenUp } from '$lib/server/threads';
import { rehearseSites } from '$lib/server/watch';
import type { RequestHandler } from './$types';

/** What would come of a site, computed now. */
export const GET: RequestHandler = async (event) => {
	const refused = unlessMay(event, 'see renderings');
	if (refused) return refused;
	try {
		const [rehearsal] = await rehearseSites([event.params.id.toLowerCase()]);
		if (!rehearsal) return problem(404, 'There is no such site.');
		const { siteId, saw, seconds, units, problems, remarks, assumed, unmodelled } = rehearsal;
		return answer({
			siteId,
			at: saw.at,
			revisions: saw.revisions,
			wouldComeOnline: problems.length === 0,
			seconds,
			units: units.map(({ positionId, name, serial, isOnline, steps }) => ({
				...{ positionId, position: name, serial, isOnline },
				steps: steps.map(({ step, seconds: takes, words, isStopped }) => ({
					step,
					seconds: takes,
					words,
					isStopped
				}))
			})),
			problems: problems.map(({ positionId, position, step, words, line, behind, field, checks }) => ({
				...{ positionId, position, step, words, line, field, checks },
				behind: behind && {
					part: behind.name,
					partId: behind.partId,
					revision: behind.revision,
					line: behind.line
				}
			})),
			remarks: remarks.map(({ words }) => words),
			assumed,
			unmodelled
		});
	} catch (error) {
		if (error instanceof GivenUp) return problem(503, error.message);
		throw error;
	}
};
