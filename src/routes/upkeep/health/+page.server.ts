import { timeNow } from '$lib/server/database';
import { shareOf, spanIn, worstOf } from '$core/health';
import { uptimes } from '$lib/server/health';
import { customersWhere, demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

/** So many places are listed; the worst come first. */
const MOST_SITES = 200;

/** For how much of the time every site was there: by customer and place, the worst first. */
export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see');
	depends('limen:live');
	const now = timeNow();
	const asked = (name: string) => url.searchParams.get(name);
	const span = spanIn({ span: asked('span') ?? 'week', from: asked('from'), to: asked('to') }, now);
	const all = await uptimes(span, { customers: customersWhere(locals, 'see', locals.customerId) }, now);
	const [customer, locality] = [asked('customer'), asked('place')];
	const chosen = all.filter(
		(site) =>
			(customer === null || site.customerId === customer) && (locality === null || site.locality === locality)
	);
	return {
		span,
		customer,
		locality,
		total: chosen.length,
		atOnce: MOST_SITES,
		customers: summed(all, ({ customerId, customerName }) => [customerId, customerName]),
		places:
			customer === null
				? []
				: summed(
						all.filter((site) => site.customerId === customer),
						({ locality: place }) => [place, place || 'no place given']
					),
		sites: chosen
			.map((site) => ({ site, worst: worstOf(site) }))
			.sort(
				(one, other) =>
					shareOf(one.site) - shareOf(other.site) ||
					(one.worst ? shareOf(one.worst) : ALL) - (other.worst ? shareOf(other.worst) : ALL)
			)
			.slice(0, MOST_SITES)
			.map(({ site: { units, steady, ...site }, worst }) => ({
				...site,
				units: steady + units.length,
				away: units.filter(({ isAway }) => isAway).length,
				worst
			}))
	};
};
const ALL = 100;
type Site = Awaited<ReturnType<typeof uptimes>>[number];

/** Groups of sites, with what they came to together. */
function summed(sites: readonly Site[], by: (site: Site) => readonly [string, string]) {
	const groups = new Map<
		string,
		{ name: string; sites: number; away: number; unitsAway: number; expected: number; lost: number }
	>();
	for (const site of sites) {
		const [id, name] = by(site);
		const group = groups.get(id) ?? { name, sites: 0, away: 0, unitsAway: 0, expected: 0, lost: 0 };
		groups.set(id, group);
		group.sites++;
		const unitsAway = site.units.filter(({ isAway }) => isAway).length;
		group.unitsAway += unitsAway;
		if (unitsAway === site.steady + site.units.length) group.away++;
		group.expected += site.uptime.expected;
		group.lost += site.uptime.away;
	}
	return [...groups]
		.map(([id, { expected, lost, ...group }]) => ({
			id,
			...group,
			share: expected === 0 ? null : (100 * (expected - lost)) / expected
		}))
		.sort((one, other) => (one.share ?? 101) - (other.share ?? 101));
}
