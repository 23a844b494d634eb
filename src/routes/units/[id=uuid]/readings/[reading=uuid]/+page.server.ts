import { error } from '@sveltejs/kit';
import { readingById } from '$lib/server/connections';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import { hidingAtPosition } from '$lib/server/profile';
import { lastServed } from '$lib/server/runs';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals }) => {
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const reading = await readingById(unit.id, params.reading);
	if (!reading) error(404, 'This reading is not kept any more.');
	const { kind, at, content } = reading;
	const hidden = await hidingAtPosition(unit.positionId ?? (await lastServed(unit.id))?.positionId ?? null);
	return { unit, kind, at, content: hidden(content) };
};
