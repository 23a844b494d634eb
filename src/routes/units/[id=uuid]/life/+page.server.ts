import { error } from '@sveltejs/kit';
import { unitById } from '$lib/server/intake';
import { demand, maySee } from '$lib/server/people';
import { LIFE_AT_ONCE, lifeAsked, lifeOf } from '$lib/server/retirement';
import type { PageServerLoad } from './$types';

/** A unit's whole life on one page. */
export const load: PageServerLoad = async ({ locals, params, url, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	const { kind, before } = lifeAsked(url.searchParams);
	const records = maySee(locals, 'see records', unit.customerId);
	const life = await lifeOf(unit.id, { ...(kind && { kinds: [kind] }), before, records, isRetired: false });
	const { id, serial, makerName, modelName, customerName, siteName, positionName } = unit;
	return {
		unit: { id, serial, makerName, modelName, customerName, siteName, positionName },
		life,
		kind,
		atOnce: LIFE_AT_ONCE
	};
};
