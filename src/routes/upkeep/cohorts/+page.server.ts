import { emptyBy } from '$core/cohort';
import { cohorts, cohortSchema, dropCohort, droppedCohortSchema, keepCohort } from '$lib/server/cohorts';
import { formAction } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import type { Actions, PageServerLoad } from './$types';

const LONGEST_RULE = 2_000;

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const all = await cohorts(customersWhere(locals, 'see renderings', locals.customerId));
	return {
		cohorts: all.map((one) => ({ ...one, emptyBy: emptyBy(one.sizes) })),
		rule: (url.searchParams.get('rule') ?? '').slice(0, LONGEST_RULE)
	};
};

export const actions: Actions = {
	keep: formAction(cohortSchema, { act: keepCohort, said: 'It is kept, and counted every hour.' }),
	drop: formAction(droppedCohortSchema, {
		act: ({ cohort }, actor) => dropCohort(cohort, actor),
		said: 'It is dropped.'
	})
};
