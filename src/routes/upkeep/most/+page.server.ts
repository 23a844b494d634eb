import { driftedMost, MOST_DAYS_BACK } from '$lib/server/drift';
import { customersWhere, demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	return {
		most: await driftedMost(customersWhere(locals, 'see renderings', locals.customerId)),
		days: MOST_DAYS_BACK
	};
};
