import { timeNow } from '$lib/server/database';
import { weekOf } from '$core/plan';
import { demand } from '$lib/server/people';
import { appointmentsOn } from '$lib/server/plan';
import { readinessAt } from '$lib/server/watch';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	demand(locals, 'see');
	const today = new Date(timeNow()).toISOString().slice(0, 10);
	const week = weekOf(url.searchParams.get('of') ?? '', today);
	const sites = await appointmentsOn(locals.customerId, week.days);
	const gaps = await readinessAt(sites.map(({ id }) => id));
	return { week, sites: sites.map((site) => ({ ...site, gaps: gaps.get(site.id) ?? null })) };
};
