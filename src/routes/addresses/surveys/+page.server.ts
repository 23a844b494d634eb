import { formAction } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { listedSurveys, saveSurvey, surveySchema } from '$lib/server/survey';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'reach units');
	depends('limen:live');
	const [all, surveys] = await Promise.all([customers(), listedSurveys(locals.customerId)]);
	return {
		mine: all.filter(({ id }) => maySee(locals, 'reach units', id)),
		surveys: surveys.filter(({ customerId }) => maySee(locals, 'reach units', customerId))
	};
};

export const actions: Actions = {
	begin: formAction(surveySchema, {
		of: 'reach units',
		act: saveSurvey,
		goes: ({ id }) => `/addresses/surveys/${id}`
	})
};
