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
import { profileNames } from '$lib/server/profile';
import { retireUnits } from '$lib/server/retirement';
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
		profileNames()
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

/** The units that were chosen: each by itself, or all that the list shows. One more than the most, where there are more. */
const unitsIn = (
	chosen: Parameters<typeof chosenIn>[0],
	{ locals }: { readonly locals: App.Locals },
	most: number
): Promise<readonly string[]> =>
	chosenIn(chosen, (address) =>
		unitIds(locals.customerId, readListQuery(new URLSearchParams(address), UNIT_LIST), most + 1)
	);

export const actions: Actions = {
	saveView: saveViewAction('units'),
	dropView: dropViewAction,
	rollout: formAction(
		v.intersect([chosenSchema('unit', 'Choose at least one unit.'), v.object({ kind: choiceSchema })]),
		{
			act: async ({ kind, ...chosen }, actor, event) => {
				const units = await unitsIn(chosen as Parameters<typeof chosenIn>[0], event, MOST_ROLLED_OUT);
				return draftRollout({ ...chosenKind(kind), whom: { units } }, actor);
			},
			goes: ({ id }) => `/arrivals/rollouts/${id}`
		}
	),
	smallChange: formAction(chosenSchema('unit', 'Choose at least one unit.'), {
		act: async (chosen, actor, event) => {
			const units = await unitsIn(chosen, event, MOST_POSITIONS);
			return beginSmallChange(units, actor);
		},
		goes: ({ id }) => `/upkeep/change/${id}`
	}),
	retire: formAction(chosenSchema('unit', 'Choose at least one unit.'), {
		act: async (chosen, actor, event) => {
			const units = await unitsIn(chosen, event, MOST_CHOSEN);
			if (units.length > MOST_CHOSEN)
				return refuse(`At most ${MOST_CHOSEN} units at once. Nothing was changed.`);
			const act = await retireUnits(units, actor);
			if (!act.ok) return act;
			const left = units.length - act.done.count;
			return done(
				`${counted(act.done.count, 'unit')} ${act.done.count === 1 ? 'is' : 'are'} retired; the bar above says how far that is.${left === 0 ? '' : ` ${left} ${left === 1 ? 'is' : 'are'} at a place, or not yours to retire, and left as ${left === 1 ? 'it is' : 'they are'}.`}`
			);
		},
		said: (words) => words
	}),
	retry: formAction(chosenSchema('unit', 'Choose at least one unit.'), {
		act: async (chosen, actor, event) => {
			const units = await unitsIn(chosen, event, MOST_CHOSEN);
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
