import { allWork } from '$lib/server/jobs';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

const MOST = 100;

/** Long work that whoever asks began, or that is of their customers. */
export const load: PageServerLoad = async ({ locals, depends }) => {
	depends('limen:live');
	demand(locals, 'see');
	return { works: await allWork(MOST) };
};
