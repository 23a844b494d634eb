import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { readListQuery, UNIT_LIST } from '$core/list';
import { fieldsOf, manyIds } from '$lib/server/forms';
import { unitIds } from '$lib/server/intake';
import { chosenIn, chosenSchema } from '$lib/server/list';
import { MOST_LABELS, pdfResponse, printLabels } from '$lib/server/paper';
import { actorOf } from '$lib/server/people';
import type { RequestHandler } from './$types';

const MISSING = 'Choose at least one unit or position.';
const positionsSchema = v.object({ position: manyIds(MISSING) });

/** Labels for the units and positions that a form names, as a PDF: there may be too many for an address. */
export const POST: RequestHandler = async (event) => {
	const fields = fieldsOf(await event.request.formData());
	const chosen = v.safeParse(chosenSchema('unit', MISSING), fields);
	const at = v.safeParse(positionsSchema, fields);
	if (!chosen.success && !at.success) error(400, MISSING);
	const units = chosen.success
		? await chosenIn(chosen.output, (address) =>
				unitIds(
					event.locals.customerId,
					readListQuery(new URLSearchParams(address), UNIT_LIST),
					MOST_LABELS + 1
				)
			)
		: [];
	const act = await printLabels({ units, positions: at.success ? at.output.position : [] }, actorOf(event));
	if (!act.ok) error(409, act.problem);
	return pdfResponse('labels', act.done);
};
