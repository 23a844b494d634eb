import * as v from 'valibot';
import { VERSION_FORM } from '$lib/server/firmware';
import { formAction } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { allRollouts, draftRollout } from '$lib/server/rollout';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	return { rollouts: await allRollouts(customersWhere(locals, 'see renderings', locals.customerId)) };
};

const draftSchema = v.object({
	kind: v.picklist(['firmware', 'due'], 'What is to be done?'),
	profile: v.optional(v.pipe(v.string(), v.uuid())),
	/** This version, for all units of its line. */
	line: v.optional(v.pipe(v.string(), v.maxLength(100))),
	version: v.optional(v.pipe(v.string(), v.regex(VERSION_FORM, 'Which version?')))
});

export const actions: Actions = {
	/** For all that are behind: because of their firmware, or of what they run. */
	draft: formAction(draftSchema, {
		act: ({ kind, profile, line, version }, actor, { locals }) => {
			const customers = customersWhere(locals, 'send', locals.customerId);
			const behind = kind === 'firmware' ? (['firmware'] as const) : (['revision', 'values'] as const);
			const whom = line && version ? { line, customers } : { behind, profileId: profile ?? null, customers };
			return draftRollout({ kind, version, whom }, actor);
		},
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	})
};
