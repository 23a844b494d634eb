import { answer, batchAgain, batchWantedSchema, once, problem, readBody, unlessMay } from '$lib/server/api';
import { claimBatch, ownershipOf, type RowOutcome } from '$lib/server/intake';
import { bindOnTheWay } from '$lib/server/binding';
import { actorOf } from '$lib/server/people';
import { outcomesOfBatch } from '$lib/server/watch';
import type { RequestHandler } from './$types';

const FAILED_AT: Partial<Record<RowOutcome['verdict'], 'reading' | 'claiming'>> = {
	malformed: 'reading',
	'unknown-model': 'reading',
	refused: 'claiming'
};

/** Takes in units; every row comes back with its outcome, and the step at which a failed one failed. */
export const POST: RequestHandler = async (event) => {
	const read = await readBody(event, batchWantedSchema);
	if (!read.ok) return read.response;
	const { customerId, text } = read.body;
	const work = async () => {
		const refused = unlessMay(event, 'claim');
		if (refused) return refused;
		const actor = actorOf(event);
		const act = await claimBatch(customerId, text, actor);
		if (!act.ok) return problem(422, act.problem);
		const { outcomes, work } = await bindOnTheWay(customerId, act.done, actor);
		const { batchId: id, counts, rows } = act.done;
		const ownership = await ownershipOf(id);
		return answer(
			{
				id,
				customerId,
				counts,
				rows: rows.map(({ line, serial, verdict, reason, unitId, repairs }) => ({
					line,
					serial,
					verdict,
					reason,
					failedAt: FAILED_AT[verdict] ?? null,
					unitId,
					repairs,
					// The makers are asked afterwards
					ownership: unitId === null ? null : ownership.get(unitId)!,
					binding: outcomes.get(line) ?? null
				})),
				bindingWork: work?.id ?? null,
				outcomes: await outcomesOfBatch(id)
			},
			201
		);
	};
	return once(event, read.text, work, async (done) => {
		const batch = await batchAgain(text, done, actorOf(event));
		return batch ? answer(batch, 201) : problem(404, 'This batch was taken in, and is not there any more.');
	});
};
