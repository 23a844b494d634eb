import { emptyBy } from '$core/cohort';
import { cohorts, cohortSchema, dropCohort, droppedCohortSchema, keepCohort } from '$lib/server/cohorts';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { intakeModels } from '$lib/server/intake';
import { customersWhere, demand } from '$lib/server/people';
import { allReplacements, beginReplacement, replacementSchema } from '$lib/server/replacement';
import type { Actions, PageServerLoad } from './$types';

const LONGEST_RULE = 2_000;

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [all, replacements, models] = await Promise.all([
		cohorts(customers),
		allReplacements(customers),
		intakeModels(database())
	]);
	return {
		cohorts: all.map((one) => ({ ...one, emptyBy: emptyBy(one.sizes) })),
		replacements,
		models: models.map(({ id, name }) => ({ value: id, name })),
		rule: (url.searchParams.get('rule') ?? '').slice(0, LONGEST_RULE)
	};
};

export const actions: Actions = {
	keep: formAction(cohortSchema, { act: keepCohort, said: 'It is kept, and counted every hour.' }),
	replace: formAction(replacementSchema, {
		act: beginReplacement,
		goes: ({ id }) => `/upkeep/replacements/${id}`
	}),
	drop: formAction(droppedCohortSchema, {
		act: ({ cohort }, actor) => dropCohort(cohort, actor),
		said: 'It is removed.'
	})
};
