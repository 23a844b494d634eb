import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { pdfResponse, printCards } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

const schema = v.array(v.pipe(v.string(), v.uuid()));

/** Cards for the sites that a form names, as a PDF. Each card gets an address of its own, so this is no GET. */
export const POST: RequestHandler = async (event) => {
	const sites = v.safeParse(schema, (await event.request.formData()).getAll('site'));
	if (!sites.success) error(400, 'Choose at least one site.');
	const act = await printCards(sites.output, actorOf(event), Date.now());
	if (!act.ok) error(409, act.problem);
	return pdfResponse('site-cards', act.done);
};
