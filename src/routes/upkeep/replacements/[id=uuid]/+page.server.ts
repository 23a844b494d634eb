import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { emptyBy } from '$core/cohort';
import { REPLACEMENT_STANDINGS, type Paired } from '$core/replacement';
import { counted } from '$core/text';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import {
	endReplacement,
	giveUnits,
	lookOnceMore,
	newUnitsSchema,
	placesOf,
	placesSchema,
	replacementById,
	replacementDays,
	swapPlaces,
	takeUnitsBack
} from '$lib/server/replacement';
import type { Actions, PageServerLoad } from './$types';

const PLACES_AT_ONCE = 400;
const MOST_NAMED = 8;

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const replacement = await replacementById(params.id);
	if (!replacement) error(404, 'There is no such replacement.');
	const [places, days] = await Promise.all([placesOf(replacement.id), replacementDays(replacement.id)]);
	const given = url.searchParams.get('standing');
	const standing = REPLACEMENT_STANDINGS.find((one) => one === given) ?? null;
	const fitting = places.filter((place) => standing === null || place.standing === standing);
	const groups = new Map<string, { positionId: string; siteId: string; site: string; position: string }[]>();
	for (const { bound, problems, positionId, siteId, site, position } of places)
		if (bound === 'old')
			for (const words of problems)
				groups.set(words, [...(groups.get(words) ?? []), { positionId, siteId, site, position }]);
	return {
		replacement,
		days,
		emptyBy: emptyBy(days.going),
		standing,
		counts: REPLACEMENT_STANDINGS.map((one) => ({
			standing: one,
			places: places.filter((place) => place.standing === one).length
		})),
		places: fitting.slice(0, PLACES_AT_ONCE),
		fitting: fitting.length,
		ready: places.filter((place) => place.standing === 'ready').map(({ positionId }) => positionId),
		mismatches: [...groups]
			.map(([words, where]) => ({ words, places: where.length, first: where.slice(0, MOST_NAMED) }))
			.sort((a, b) => b.places - a.places)
	};
};

const MOST_SAID = 12;
const refusedWords = (refused: readonly Extract<Paired, { ok: false }>[]): string => {
	const some = refused.slice(0, MOST_SAID).map(({ line, serial, why }) => `Line ${line}, ${serial}: ${why}`);
	return refused.length > MOST_SAID
		? [...some, `And ${refused.length - MOST_SAID} more.`].join(' ')
		: some.join(' ');
};

const nothing = v.object({});
const thisOne = (event: { readonly params: Partial<Record<string, string>> }): string => event.params.id!;

export const actions: Actions = {
	give: formAction(newUnitsSchema, {
		act: (given, actor, event) => giveUnits(thisOne(event), given, actor),
		said: ({ taken, refused }) =>
			`${counted(taken, 'unit')} ${taken === 1 ? 'has its place' : 'have their places'}. ${refusedWords(refused)}`.trim()
	}),
	takeBack: formAction(placesSchema, {
		act: ({ position }, actor, event) => takeUnitsBack(thisOne(event), position, actor),
		said: (count) => `${counted(count, 'unit')} meant for no place any more.`
	}),
	swap: formAction(placesSchema, {
		ask: async ({ position }, actor, event) => {
			const replacement = await replacementById(thisOne(event));
			if (!replacement || !actor.may('unbind', replacement.customerId)) return null;
			const chosen = new Set(position);
			const ready = (await placesOf(replacement.id)).filter(
				({ positionId, standing }) => chosen.has(positionId) && standing === 'ready'
			);
			return ready.length === 0
				? null
				: {
						words: `${counted(ready.length, 'unit')} ${ready.length === 1 ? 'is' : 'are'} unbound and out of service, and ${ready.length === 1 ? 'its place waits' : 'their places wait'} for the new ${ready.length === 1 ? 'unit' : 'units'}.`,
						sites: [...new Set(ready.map(({ site }) => site))],
						wantsReason: true
					};
		},
		act: ({ position }, actor, event) => swapPlaces(thisOne(event), position, actor),
		said: ({ count }) =>
			`${counted(count, 'unit')} ${count === 1 ? 'is' : 'are'} being swapped; the bar above says how far that is.`
	}),
	look: formAction(nothing, {
		act: (_given, actor, event) => lookOnceMore(thisOne(event), actor),
		said: 'It is being looked at again.'
	}),
	end: formAction(nothing, {
		act: (_given, actor, event) => endReplacement(thisOne(event), actor),
		said: 'It is over.'
	})
};
