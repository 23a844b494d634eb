import { sitesWithStanding } from '$lib/server/plan';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	const sites = await sitesWithStanding(locals.customerId, Date.now());
	const counts: Record<string, number> = {};
	for (const { standing } of sites) counts[standing.word] = (counts[standing.word] ?? 0) + 1;
	const text = (url.searchParams.get('q') ?? '').slice(0, 100);
	const word = url.searchParams.get('standing');
	const pattern = url.searchParams.get('pattern');
	const wanted = text.toLocaleLowerCase();
	return {
		counts,
		total: sites.length,
		text,
		standing: word,
		pattern,
		view: url.searchParams.get('view') === 'map' ? 'map' : 'list',
		sites: sites.filter(
			(site) =>
				(!word || site.standing.word === word) &&
				(!pattern || site.patternId === pattern) &&
				(wanted === '' ||
					`${site.name} ${site.locality} ${site.street} ${site.customerName}`
						.toLocaleLowerCase()
						.includes(wanted))
		)
	};
};
