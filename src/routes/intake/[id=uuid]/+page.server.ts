import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { done, refuse } from '$lib/server/act';
import { formAction, oneId } from '$lib/server/forms';
import { againAction, batchById, batchHead, claimBatch, dropRefused, dropRow } from '$lib/server/intake';
import { bindOnTheWay } from '$lib/server/binding';
import { lastWorkAbout } from '$lib/server/jobs';
import { maySee, demand } from '$lib/server/people';
import { endOfBatch, outcomesOfBatch } from '$lib/server/watch';
import type { Actions, PageServerLoad } from './$types';

const MOST_SHOWN = 500;

/** One batch: what came of each row as it is worked, and the rows that wait to be mended. */
export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const head = await batchHead(params.id);
	if (!head) error(404, 'There is no such batch.');
	demand(locals, 'see', head.customerId);
	const mayMend = maySee(locals, 'claim', head.customerId);
	const [batch, outcomes, ends, binding] = await Promise.all([
		batchById(params.id, mayMend, MOST_SHOWN),
		outcomesOfBatch(params.id),
		endOfBatch(params.id),
		lastWorkAbout(params.id)
	]);
	return { batch: batch!, mayMend, outcomes, ends, binding };
};

const ordinal = v.pipe(v.string(), v.regex(/^\d{1,6}$/), v.transform(Number));
const mendSchema = v.object({
	row: ordinal,
	text: v.pipe(v.string(), v.maxLength(4000, 'That is too long for one unit.'))
});
/** Either a row of the list, or a unit that the registry has refused. */
const dropSchema = v.union(
	[v.object({ unit: oneId('Which row?') }), v.object({ row: ordinal })],
	'Which row?'
);
const NO_BATCH = 'There is no such batch.';

export const actions: Actions = {
	mend: formAction(mendSchema, {
		act: async ({ row, text }, actor, event) => {
			const batch = await batchHead(event.params.id!);
			if (!batch) return refuse(NO_BATCH);
			const given = batch.heading ? `${batch.heading}\n${text}` : text;
			const act = await claimBatch(batch.customerId, given, actor, {
				mending: { batchId: event.params.id!, ordinal: row }
			});
			if (!act.ok) return act;
			await bindOnTheWay(batch.customerId, act.done, actor);
			const [first] = act.done.rows;
			return first?.unitId || first?.verdict === 'already-ours'
				? done(`${first.serial} is taken in.`)
				: refuse(first?.reason ?? 'It is still not readable.');
		},
		said: (words) => words
	}),
	drop: formAction(dropSchema, {
		act: async (given, actor, event) => {
			if ('unit' in given) return dropRefused(given.unit, actor);
			const batch = await batchHead(event.params.id!);
			return batch ? dropRow(batch.customerId, event.params.id!, given.row, actor) : refuse(NO_BATCH);
		},
		said: 'Dropped.'
	}),
	again: againAction
};
