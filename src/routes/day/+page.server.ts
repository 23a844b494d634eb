import { timeNow } from '$lib/server/database';
import * as v from 'valibot';
import { conflictsOf, dayOf, settle, wouldSwap } from '$lib/server/day';
import { formAction, oneId } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { dayWithEnds } from '$lib/server/watch';
import type { Actions, PageServerLoad } from './$types';

const MOST_TAKEN_ALONG = 20;
const ids = v.pipe(v.array(v.pipe(v.string(), v.uuid())), v.maxLength(MOST_TAKEN_ALONG));

/** A technician's day. The page keeps it on the phone and works from there without signal. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'bind');
	depends('limen:live');
	const also = v.safeParse(ids, url.searchParams.getAll('site'));
	const person = locals.person!;
	const [day, conflicts] = await Promise.all([
		dayOf(person.id, also.success ? also.output : [], timeNow()).then(dayWithEnds),
		conflictsOf(person.id)
	]);
	return { day, conflicts };
};

const settleSchema = v.object({
	conflict: oneId('Which of the two?'),
	choice: v.picklist(['theirs', 'mine'], 'Which of the two?')
});

export const actions: Actions = {
	settle: formAction(settleSchema, {
		ask: async ({ conflict, choice }, _, { locals }) => {
			const old = choice === 'mine' ? await wouldSwap(conflict, locals.person!.id) : null;
			return (
				old && {
					words: `${old.serial} has called from ${old.positionName}: it is swapped out, and what it called home with opens nothing any more.`,
					sites: [old.siteName],
					wantsReason: true
				}
			);
		},
		act: ({ conflict, choice }, actor, { locals }) =>
			settle(conflict, choice, { ...actor, personId: locals.person!.id }),
		said: 'Settled.'
	})
};
