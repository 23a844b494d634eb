import { error } from '@sveltejs/kit';
import { readListQuery, UNIT_LIST } from '$core/list';
import { unitIds } from '$lib/server/intake';
import { chosenIn } from '$lib/server/list/actions';
import { MOST_LABELS, pdfResponse, printLabels } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** Labels for the units and positions that a form names, as a PDF: there may be too many for an address. */
export const POST: RequestHandler = async (event) => {
	const form = await event.request.formData();
	const units = await chosenIn(form, 'unit', (address) =>
		unitIds(event.locals.customerId, readListQuery(new URLSearchParams(address), UNIT_LIST), MOST_LABELS + 1)
	);
	const positions = form.has('all') ? null : await chosenIn(form, 'position', async () => []);
	if (units === null && positions === null) error(400, 'Choose at least one unit or position.');
	const act = await printLabels({ units: units ?? [], positions: positions ?? [] }, actorOf(event));
	if (!act.ok) error(409, act.problem);
	return pdfResponse('labels', act.done);
};
