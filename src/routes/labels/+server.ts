import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { pdfResponse, printLabels } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

const schema = v.array(v.pipe(v.string(), v.uuid()));

/** Labels for the units and positions that a form names, as a PDF: there may be too many for an address. */
export const POST: RequestHandler = async (event) => {
	const form = await event.request.formData();
	const units = v.safeParse(schema, form.getAll('unit'));
	const positions = v.safeParse(schema, form.getAll('position'));
	if (!units.success || !positions.success) error(400, 'Choose at least one unit or position.');
	const act = await printLabels({ units: units.output, positions: positions.output }, actorOf(event));
	if (!act.ok) error(409, act.problem);
	return pdfResponse('labels', act.done);
};
