import { error } from '@sveltejs/kit';
import { isDemo } from '$lib/server/people';
import type { PageServerLoad } from './$types';

/** Every part that pages are made of, in every state: for those who build and check them. Only in the demo. */
export const load: PageServerLoad = async () => {
	if (!(await isDemo())) error(404, 'There is no such page.');
	return {};
};
