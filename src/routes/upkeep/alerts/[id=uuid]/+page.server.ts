import { error } from '@sveltejs/kit';
import { alertById, careSchema, noteOnAlert, noteSchema, takeAlert } from '$lib/server/alerts';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

/** One alert: what it is about, who takes care of it, and what was noted. */
export const load: PageServerLoad = async ({ params, depends, locals }) => {
	depends('limen:live');
	const alert = await alertById(params.id);
	if (!alert) error(404, 'There is no such alert.');
	demand(locals, 'see renderings', alert.customerId);
	return { alert };
};

export const actions: Actions = {
	take: formAction(careSchema, {
		of: 'prove',
		act: (given, actor, { locals }) => takeAlert(given, { ...actor, personId: locals.person!.id }),
		said: 'It is yours now.'
	}),
	note: formAction(noteSchema, { of: 'prove', act: noteOnAlert, said: 'Noted.' })
};
