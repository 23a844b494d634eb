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
	const alike = await shownAlike(work.id, customersWhere(locals, 'see renderings', work.customerId));
	// Those of which something is shown stand with it
	const apart = alike[0]?.total ?? 0;
	const items = await itemsOf(work.id, { limit: MOST_SHOWN, withoutShown: apart > 0 });
	return {
		one: work,
		items,
		alike,
		moreAlike: apart - alike.reduce((sum, { count }) => sum + count, 0),
		more: work.total - apart - items.length
	};
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
