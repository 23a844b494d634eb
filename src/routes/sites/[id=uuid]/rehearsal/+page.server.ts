import { error } from '@sveltejs/kit';
import { demand } from '$lib/server/people';
import { siteById } from '$lib/server/plan';
import { GivenUp } from '$lib/server/threads';
import { rehearseSites } from '$lib/server/watch';
import type { PageServerLoad } from './$types';

/** Computed anew whenever it is looked at: a rehearsal is never older than what it is about. */
export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	demand(locals, 'see renderings', site.customerId);
	try {
		const [rehearsal] = await rehearseSites([site.id]);
		return { site, rehearsal: rehearsal ?? null };
	} catch (failure) {
		if (!(failure instanceof GivenUp)) throw failure;
		return { site, rehearsal: null };
	}
};
