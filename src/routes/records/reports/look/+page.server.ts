import { error } from '@sveltejs/kit';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { lookOf, lookSchema, stateLook } from '$lib/server/reports';
import type { Actions, PageServerLoad } from './$types';

/** How a customer's papers look: for administrators. */
export const load: PageServerLoad = async ({ locals, url }) => {
	demand(locals, 'manage people');
	const all = await customers();
	const id = url.searchParams.get('customer') ?? locals.customerId ?? all[0]?.id;
	const chosen = all.find((one) => one.id === id);
	if (all.length > 0 && !chosen) error(404, 'There is no such customer.');
	return { customers: all, look: chosen ? await lookOf(chosen.id) : null };
};

export const actions: Actions = {
	state: formAction(lookSchema, {
		of: 'manage people',
		act: stateLook,
		said: 'Papers made from now on look like this.'
	})
};
