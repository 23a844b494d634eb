import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import { FIGURE_NAMES, isCompared, spanIn, type Figure } from '$core/health';
import { seriesOf, uptimes } from '$lib/server/health';
import { siteById } from '$lib/server/plan';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

/** How the units of a site do, beside each other. */
export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const site = await siteById(params.id);
	if (!site) error(404, 'There is no such site.');
	demand(locals, 'see', site.customerId);
	const now = timeNow();
	const asked = (name: string) => url.searchParams.get(name);
	const span = spanIn({ span: asked('span'), from: asked('from'), to: asked('to') }, now);
	const chosen = asked('figure') as Figure | null;
	const figure = chosen && FIGURE_NAMES.includes(chosen) && isCompared(chosen) ? chosen : 'processor';
	const [found] = await uptimes(span, { siteId: site.id }, now);
	const { grain, series } = await seriesOf(
		found?.units.map(({ unitId }) => unitId) ?? [],
		span,
		[figure],
		now
	);
	return { site, span, grain, figure, uptime: found?.uptime ?? null, units: found?.units ?? [], series };
};
