import { behindByDay, behindByProfile, behindUnits, MOST_BEHIND, type Why } from '$lib/server/drift';
import { customersWhere, demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
const WHYS: readonly Why[] = ['revision', 'values', 'firmware'];

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [profile, given] = [url.searchParams.get('profile'), url.searchParams.get('why')];
	const profileId = profile && UUID.test(profile) ? profile : null;
	const why = WHYS.find((one) => one === given) ?? null;
	const [profiles, units, days] = await Promise.all([
		behindByProfile(customers),
		behindUnits(customers, { profileId, why }),
		behindByDay(customers, profileId)
	]);
	return { profiles, units, days, profileId, why, isAll: units.length < MOST_BEHIND };
};
