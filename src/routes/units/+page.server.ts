import * as v from 'valibot';
import { counted } from '$core/text';
import { readListQuery, UNIT_LIST } from '$core/list';
import { choiceSchema, chosenKind } from '$core/rollout';
import { done, refuse } from '$lib/server/act';
import { database } from '$lib/server/database';
import { formAction } from '$lib/server/forms';
import { intakeModels, unitCounts, unitIds, unitRows } from '$lib/server/intake';
import {
	savedViews,
	chosenIn,
	chosenSchema,
	dropViewAction,
	MOST_CHOSEN,
	saveViewAction
} from '$lib/server/list';
import { retryUnits } from '$lib/server/binding';
import { demand } from '$lib/server/people';
import { allProfiles } from '$lib/server/profile';
import { draftRollout, MOST_UNITS as MOST_ROLLED_OUT } from '$lib/server/rollout';
import { beginSmallChange, MOST_POSITIONS } from '$lib/server/small-change';
import type { Actions, PageServerLoad } from './$types';

/** All units: free, bound, online, out of service. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const { customerId } = locals;
	const query = readListQuery(url.searchParams, UNIT_LIST);
	const [first, counts, views, models, profiles] = await Promise.all([
		unitRows(customerId, query, 0),
		unitCounts(customerId, query),
		savedViews(locals.person?.id, 'units'),
		intakeModels(database()),
		allProfiles()
	]);
	return {
		query,
		first,
		counts,
		views,
		models: models.map(({ id, name }) => ({ id, name })),
		profiles: profiles.map(({ id, name }) => ({ id, name }))
	};
};

export const actions: Actions = {
	saveView: saveViewAction('units'),
	dropView: dropViewAction,
	rollout: formAction(
		v.intersect([chosenSchema('unit', 'Choose at least one unit.'), v.object({ kind: choiceSchema })]),
		{
			act: async ({ kind, ...chosen }, actor, event) => {
				const { customerId } = event.locals;
				const units = await chosenIn(chosen as Parameters<typeof chosenIn>[0], (address) =>
					unitIds(customerId, readListQuery(new URLSearchParams(address), UNIT_LIST), MOST_ROLLED_OUT + 1)
				);
				return draftRollout({ ...chosenKind(kind), whom: { units } }, actor);
			},
			goes: ({ id }) => `/arrivals/rollouts/${id}`
		}
	),
	smallChange: formAction(chosenSchema('unit', 'Choose at least one unit.'), {
		act: async (chosen, actor, event) => {
			const { customerId } = event.locals;
			const units = await chosenIn(chosen, (address) =>
				unitIds(customerId, readListQuery(new URLSearchParams(address), UNIT_LIST), MOST_POSITIONS + 1)
			);
			return beginSmallChange(units, actor);
		},
		goes: ({ id }) => `/upkeep/change/${id}`
	}),
	retry: formAction(chosenSchema('unit', 'Choose at least one unit.'), {
		act: async (chosen, actor, event) => {
			const { customerId } = event.locals;
			const units = await chosenIn(chosen, (address) =>
				unitIds(customerId, readListQuery(new URLSearchParams(address), UNIT_LIST), MOST_CHOSEN + 1)
			);
			if (units.length > MOST_CHOSEN)
				return refuse(`At most ${MOST_CHOSEN} units at once. Nothing was changed.`);
			const act = await retryUnits(units, actor);
			if (!act.ok) return act;
			const left = units.length - act.done.count;
			return done(
				`${counted(act.done.count, 'unit')} may try again; the bar above says how far that is.${left === 0 ? '' : ` ${left} had not failed and ${left === 1 ? 'is left as it is' : 'are left as they are'}.`}`
			);
		},
		said: (words) => words
	})
};
