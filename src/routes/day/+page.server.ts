import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { conflictsOf, dayOf, settle, wouldSwap } from '$lib/server/day';
import { actorOf } from '$lib/server/people';
import { askAgain, demand, reasonIn } from '$lib/server/people/requests';
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
		dayOf(person.id, also.success ? also.output : [], Date.now()),
		conflictsOf(person.id)
	]);
	return { day, conflicts };
};

const settleSchema = v.object({
	conflict: v.pipe(v.string(), v.uuid()),
	choice: v.picklist(['theirs', 'mine'])
});

export const actions: Actions = {
	settle: async (event) => {
		demand(event.locals, 'bind');
		const fields = Object.fromEntries(await event.request.formData());
		const parsed = v.safeParse(settleSchema, fields);
		if (!parsed.success) return fail(400, { problem: 'Which of the two?' });
		const { conflict, choice } = parsed.output;
		const person = event.locals.person!;
		const old = choice === 'mine' ? await wouldSwap(conflict, person.id) : null;
		const asked =
			old &&
			(await askAgain(event, fields, {
				words: `${old.serial} has called from ${old.positionName}: it is swapped out, and what it called home with opens nothing any more.`,
				sites: [old.siteName],
				wantsReason: true
			}));
		if (asked) return asked;
		const act = await settle(conflict, choice, {
			...actorOf(event),
			personId: person.id,
			reason: reasonIn(fields)
		});
		return act.ok ? { said: 'Settled.' } : fail(409, { problem: act.problem });
	}
};
