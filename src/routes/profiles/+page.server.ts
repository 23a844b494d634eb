import { demand } from '$lib/server/people/requests';
import { allProfiles } from '$lib/server/profile';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'see profiles');
	return { profiles: await allProfiles() };
};
