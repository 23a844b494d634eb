import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { formAction, oneId } from '$lib/server/forms';
import { maySee, demand } from '$lib/server/people';
import {
	customers,
	NO_CUSTOMER,
	patternFromSite,
	patternSchema,
	savePattern,
	editedPattern,
	patternChoices,
	tunnelEnds
} from '$lib/server/plan';
import { jsonText } from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

const uuid = v.pipe(v.string(), v.uuid());

/** A new pattern: empty, or as a site is now. */
export const load: PageServerLoad = async ({ url, locals }) => {
	demand(locals, 'plan sites');
	const from = v.safeParse(uuid, url.searchParams.get('from'));
	const taken = from.success ? await patternFromSite(from.output) : null;
	const asked = url.searchParams.get('customer');
	const mine = (await customers()).filter(({ id }) => maySee(locals, 'plan sites', id));
	const customerId =
		taken?.customerId ?? mine.find(({ id }) => id === asked || id === locals.customerId)?.id ?? mine[0]?.id;
	if (!customerId) error(404, NO_CUSTOMER);
	demand(locals, 'plan sites', customerId);
	const [profiles, ends] = await Promise.all([patternChoices(customerId), tunnelEnds(customerId)]);
	const empty = { id: null, edit: 0, name: '', note: '', siteValues: {}, cables: null };
	const first = profiles[0];
	return {
		customerId,
		mine,
		profiles,
		tunnelEnds: ends,
		pattern: taken
			? editedPattern(taken)
			: {
					...empty,
					places: first ? [{ id: null, name: '', profileId: first.id, tunnelTo: null, values: {} }] : []
				}
	};
};

const schema = v.object({
	customer: oneId('Choose the customer.'),
	pattern: v.pipe(jsonText, patternSchema)
});

export const actions: Actions = {
	save: formAction(schema, {
		act: ({ customer, pattern }, actor) => savePattern(customer, { ...pattern, id: null }, actor),
		goes: ({ id }) => `/sites/patterns/${id}`
	})
};
