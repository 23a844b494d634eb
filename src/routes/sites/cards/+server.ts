import { error } from '@sveltejs/kit';
import { readListQuery, SITE_LIST } from '$core/list';
import { chosenIn } from '$lib/server/list/actions';
import { MOST_CARDS, pdfResponse, printCards } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import { siteIds } from '$lib/server/plan';
import type { RequestHandler } from './$types';

/** Cards for the sites that a form names, as a PDF. Each card gets an address of its own, so this is no GET. */
export const POST: RequestHandler = async (event) => {
	const sites = await chosenIn(await event.request.formData(), 'site', (address) =>
		siteIds(event.locals.customerId, readListQuery(new URLSearchParams(address), SITE_LIST), MOST_CARDS + 1)
	);
	if (sites === null) error(400, 'Choose at least one site.');
	const act = await printCards(sites, actorOf(event), Date.now());
	if (!act.ok) error(409, act.problem);
	return pdfResponse('site-cards', act.done);
};
