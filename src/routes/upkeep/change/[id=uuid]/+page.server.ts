import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { editNumber, formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { shownImpact } from '$lib/server/profile';
import {
	changeableAt,
	keepSmallChange,
	lookAtSmallChange,
	smallChangeById,
	whatSchema
} from '$lib/server/small-change';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	demand(locals, 'set values');
	depends('limen:live');
	const change = await smallChangeById(params.id);
	if (!change) error(404, 'There is no such change; one that was not made is kept for a week.');
	const { positions, result, ...rest } = change;
	return {
		change: {
			...rest,
			total: positions.length,
			result: result && { ...shownImpact(result), left: result.left, changed: result.changed.length }
		},
		changeable: await changeableAt(positions)
	};
};

export const actions: Actions = {
	look: formAction(whatSchema, { act: (what, _actor, event) => lookAtSmallChange(event.params.id!, what) }),
	keep: formAction(v.object({ edit: editNumber }), {
		act: ({ edit }, actor, event) => keepSmallChange(event.params.id!, edit, actor),
		goes: ({ rolloutId }) => `/arrivals/rollouts/${rolloutId}`
	})
};
