import * as v from 'valibot';
import { choiceSchema, chosenKind } from '$core/rollout';
import { refuse } from '$lib/server/act';
import { VERSION_FORM } from '$lib/server/firmware';
import { formAction, oneId } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { allRollouts, draftRollout } from '$lib/server/rollout';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	return { rollouts: await allRollouts(customersWhere(locals, 'see renderings', locals.customerId)) };
};

const draftSchema = v.object({
	kind: choiceSchema,
	cohort: v.optional(oneId('Which cohort?')),
	/** Whether newcomers of the cohort join. */
	joins: v.optional(v.literal('on')),
	profile: v.optional(v.pipe(v.string(), v.uuid())),
	/** This version, for all units of its line. */
	line: v.optional(v.pipe(v.string(), v.maxLength(100))),
	version: v.optional(v.pipe(v.string(), v.regex(VERSION_FORM, 'Which version?')))
});

export const actions: Actions = {
	/** For all that are behind: because of their firmware, or of what they run. */
	draft: formAction(draftSchema, {
		act: async ({ kind, profile, line, version, cohort, joins }, actor, { locals }) => {
			if (cohort)
				return draftRollout({ ...chosenKind(kind), whom: { cohort, joins: joins === 'on' } }, actor);
			if (kind !== 'firmware' && kind !== 'due') return refuse('For whom?');
			const customers = customersWhere(locals, 'send', locals.customerId);
			const behind = kind === 'firmware' ? (['firmware'] as const) : (['revision', 'values'] as const);
			const whom = line && version ? { line, customers } : { behind, profileId: profile ?? null, customers };
			return draftRollout({ kind, wanted: version, whom }, actor);
		},
		goes: ({ id }) => `/arrivals/rollouts/${id}`
	})
};
