import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { lookNow, reachPair } from '$lib/server/reachability';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const pair = await reachPair(params.from, params.to);
	if (!pair) error(404, 'The plan has no path between these two.');
	return { pair };
};

const wayOf = v.object({ way: v.picklist(['there', 'back'], 'Choose who asks.') });

export const actions: Actions = {
	look: formAction(wayOf, {
		act: ({ way }, actor, { params }) =>
			way === 'there' ? lookNow(params.from!, params.to!, actor) : lookNow(params.to!, params.from!, actor),
		said: 'It is asked now; the answer appears here.'
	})
};
