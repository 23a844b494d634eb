import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction } from '$lib/server/forms';
import { cancelWork, itemsOf, putAway, shownAlike, workById } from '$lib/server/jobs';
import { customersWhere, demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const MOST_SHOWN = 500;

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	demand(locals, 'see');
	const work = await workById(params.id);
	if (!work) error(404, 'There is no such work.');
	const [items, alike] = await Promise.all([
		itemsOf(work.id, { limit: MOST_SHOWN }),
		shownAlike(work.id, customersWhere(locals, 'see renderings', work.customerId))
	]);
	return { one: work, items, alike, more: work.total - items.length };
};

export const actions: Actions = {
	cancel: formAction(v.object({}), {
		act: (_, actor, event) => cancelWork(event.params.id!, actor),
		said: 'It stops after the one it is at. What is done stays done.'
	}),
	away: formAction(v.object({}), {
		act: (_, actor, event) => putAway(event.params.id!, actor),
		said: 'Put away. It stays in the list of long work.'
	})
};
