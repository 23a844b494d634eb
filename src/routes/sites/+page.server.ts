import { counted } from '$core/text';
import * as v from 'valibot';
import { readListQuery, SITE_LIST } from '$core/list';
import { refuse } from '$lib/server/act';
import { formAction, oneId } from '$lib/server/forms';
import {
	savedViews,
	chosenIn,
	chosenSchema,
	dropViewAction,
	MOST_CHOSEN,
	saveViewAction
} from '$lib/server/list';
import { demand } from '$lib/server/people';
import { rehearseMany } from '$lib/server/watch';
import { siteCounts, siteIds, siteRows, sendTechnician, techniciansFor } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

/** So many sites are drawn on the map. */
const MOST_ON_MAP = 2000;

export const load: PageServerLoad = async ({ locals, url, depends }) => {
	depends('limen:live');
	demand(locals, 'see');
	const { customerId } = locals;
	const query = readListQuery(url.searchParams, SITE_LIST);
	const view = url.searchParams.get('view') === 'map' ? 'map' : 'list';
	const [first, counts, views, technicians] = await Promise.all([
		view === 'map' ? siteRows(customerId, query, 0, MOST_ON_MAP) : siteRows(customerId, query, 0),
		siteCounts(customerId, query),
		savedViews(locals.person?.id, 'sites'),
		techniciansFor(customerId)
	]);
	return { query, view, first, counts, views, technicians };
};

const CHOOSE = 'Choose sites, and somebody or a day.';
const technicianSchema = v.intersect([
	chosenSchema('site', CHOOSE),
	v.object({
		/** Empty: whoever goes there already. */
		technician: v.optional(v.union([v.picklist(['', 'nobody']), oneId(CHOOSE)], CHOOSE), ''),
		appointment: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40)), '')
	})
]);

/** The sites that somebody chose in the list, or all that it shows. */
const sitesChosen = (chosen: Parameters<typeof chosenIn>[0], customerId: string | null) =>
	chosenIn(chosen, (address) =>
		siteIds(customerId, readListQuery(new URLSearchParams(address), SITE_LIST), MOST_CHOSEN + 1)
	);

export const actions: Actions = {
	saveView: saveViewAction('sites'),
	dropView: dropViewAction,
	technician: formAction(technicianSchema, {
		act: async ({ technician, appointment, ...chosen }, actor, event) => {
			if (technician === '' && appointment === '') return refuse(CHOOSE);
			const sites = await sitesChosen(chosen, event.locals.customerId);
			if (sites.length > MOST_CHOSEN)
				return refuse(`At most ${MOST_CHOSEN} sites at once. Nothing was changed.`);
			return sendTechnician(
				sites,
				{
					technicianId: technician === '' ? undefined : technician === 'nobody' ? null : technician,
					appointment: appointment || undefined
				},
				actor
			);
		},
		said: ({ changed }) => `${counted(changed, 'site')} changed.`
	}),
	rehearse: formAction(chosenSchema('site', 'Choose sites.'), {
		of: 'see renderings',
		act: async (chosen, actor, event) =>
			rehearseMany(await sitesChosen(chosen, event.locals.customerId), actor),
		said: ({ count }) =>
			`${counted(count, 'site is', 'sites are')} rehearsed; the bar above says how far that is, and what came of it.`
	})
};
