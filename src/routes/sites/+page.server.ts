import { fail } from '@sveltejs/kit';
import * as v from 'valibot';
import { readListQuery, SITE_LIST } from '$core/list';
import { savedViews } from '$lib/server/list';
import { chosenIn, dropViewAction, MOST_CHOSEN, saveViewAction } from '$lib/server/list/actions';
import { actorOf } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
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

const technicianSchema = v.union([v.literal('nobody'), v.pipe(v.string(), v.uuid())]);

export const actions: Actions = {
	saveView: saveViewAction('sites'),
	dropView: dropViewAction,
	technician: async (event) => {
		const form = await event.request.formData();
		const technician = v.safeParse(technicianSchema, form.get('technician'));
		const { customerId } = event.locals;
		const sites = await chosenIn(form, 'site', (address) =>
			siteIds(customerId, readListQuery(new URLSearchParams(address), SITE_LIST), MOST_CHOSEN + 1)
		);
		if (!technician.success || sites === null) return fail(400, { problem: 'Choose sites and somebody.' });
		if (sites.length > MOST_CHOSEN)
			return fail(400, { problem: `At most ${MOST_CHOSEN} sites at once. Nothing was changed.` });
		const act = await sendTechnician(
			sites,
			technician.output === 'nobody' ? null : technician.output,
			actorOf(event)
		);
		return act.ok
			? { said: `${act.done.changed} ${act.done.changed === 1 ? 'site' : 'sites'} changed.` }
			: fail(409, { problem: act.problem });
	}
};
