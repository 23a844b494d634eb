import { error } from '@sveltejs/kit';
import { demand, maySee } from '$lib/server/people';
import { LIFE_AT_ONCE, lifeAsked, lifeOf, retiredById } from '$lib/server/retirement';
import type { PageServerLoad } from './$types';

/** What is kept of a retired unit. */
export const load: PageServerLoad = async ({ locals, params, url }) => {
	demand(locals, 'see');
	const unit = await retiredById(params.id);
	if (!unit) error(404, 'Nothing is kept of such a unit.');
	const { kind, before } = lifeAsked(url.searchParams);
	const records = maySee(locals, 'see records', unit.customerId);
	const life = await lifeOf(unit.id, { ...(kind && { kinds: [kind] }), before, records, isRetired: true });
	return { unit, life, kind, atOnce: LIFE_AT_ONCE };
};
