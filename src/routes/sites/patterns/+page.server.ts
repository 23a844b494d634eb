import { demand } from '$lib/server/people';
import { patterns } from '$lib/server/plan';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	return { patterns: await patterns(locals.customerId) };
};
