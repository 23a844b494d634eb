import { error } from '@sveltejs/kit';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { givenLimits, limitsFormSchema, saveLimits } from '$lib/server/proof';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals }) => {
	const found = await givenLimits({ profile: params.id });
	if (!found) error(404, 'There is no such profile.');
	demand(locals, 'see profiles');
	return { id: params.id, ...found };
};

export const actions: Actions = {
	save: formAction(limitsFormSchema, {
		act: (given, actor, event) => saveLimits({ profile: event.params.id! }, given, actor),
		said: 'Saved. It counts from the next proof on.'
	})
};
