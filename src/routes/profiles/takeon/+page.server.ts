import { formAction } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { allTakeOns, beginTakeOn, takeOnSchema } from '$lib/server/takeon';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	return { takeOns: await allTakeOns(customersWhere(locals, 'see renderings', locals.customerId)) };
};

export const actions: Actions = {
	begin: formAction(takeOnSchema, {
		act: beginTakeOn,
		goes: ({ id }) => `/profiles/takeon/${id}`
	})
};
