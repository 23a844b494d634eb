import { allMakers } from '$lib/server/packs';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see profiles');
	depends('limen:live');
	return { makers: await allMakers() };
};
