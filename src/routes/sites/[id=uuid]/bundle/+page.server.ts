import { error } from '@sveltejs/kit';
import { bundlesAt } from '$lib/server/bootstrap';
import { demand } from '$lib/server/people';
import { siteById } from '$lib/server/plan';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals, depends }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	demand(locals, 'bind', site.customerId);
	return { site, units: await bundlesAt(site.id) };
};
