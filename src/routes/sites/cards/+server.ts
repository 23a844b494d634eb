import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { readListQuery, SITE_LIST } from '$core/list';
import { chosenIn, chosenSchema } from '$lib/server/list';
import { fieldsOf } from '$lib/server/forms';
import { MOST_CARDS, pdfResponse, printCards } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import { siteIds } from '$lib/server/plan';
import type { RequestHandler } from './$types';

const schema = chosenSchema('site', 'Choose at least one site.');

/** Cards for the sites that a form names, as a PDF. Each card gets an address of its own, so this is no GET. */
export const POST: RequestHandler = async (event) => {
	const chosen = v.safeParse(schema, fieldsOf(await event.request.formData()));
	if (!chosen.success) error(400, chosen.issues[0].message);
	const sites = await chosenIn(chosen.output, (address) =>
		siteIds(event.locals.customerId, readListQuery(new URLSearchParams(address), SITE_LIST), MOST_CARDS + 1)
	);
	const act = await printCards(sites, actorOf(event), timeNow());
	if (!act.ok) error(409, act.problem);
	return pdfResponse('site-cards', act.done);
};
