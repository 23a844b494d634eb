import { error, fail, redirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { actorOf, maySee } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import { customers, NO_CUSTOMER, patternFromSite, patternSchema, savePattern } from '$lib/server/plan';
import { editedPattern, patternChoices } from '$lib/server/plan/pattern-page';
import { jsonText } from '$lib/server/profile/schemas';
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
	const profiles = await patternChoices(customerId);
	const empty = { id: null, edit: 0, name: '', note: '', siteValues: {} };
	const first = profiles[0];
	return {
		customerId,
		mine,
		profiles,
		pattern: taken
			? editedPattern(taken)
			: { ...empty, places: first ? [{ id: null, name: '', profileId: first.id, values: {} }] : [] }
	};
};

const schema = v.object({
	customer: v.pipe(v.string('Choose the customer.'), v.uuid('Choose the customer.')),
	pattern: v.pipe(jsonText, patternSchema)
});

export const actions: Actions = {
	save: async (event) => {
		const parsed = v.safeParse(schema, Object.fromEntries(await event.request.formData()));
		if (!parsed.success) return fail(400, { problem: parsed.issues[0].message });
		const act = await savePattern(
			parsed.output.customer,
			{ ...parsed.output.pattern, id: null },
			actorOf(event)
		);
		if (!act.ok) return fail(409, { problem: act.problem });
		redirect(303, `/sites/patterns/${act.done.id}`);
	}
};
