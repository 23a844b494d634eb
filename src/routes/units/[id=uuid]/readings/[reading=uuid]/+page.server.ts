import { error } from '@sveltejs/kit';
import { maskSecrets } from '$core/profile';
import { readingById } from '$lib/server/connections';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, locals }) => {
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const reading = await readingById(unit.id, params.reading);
	if (!reading) error(404, 'This reading is not kept any more.');
	const { kind, at, content } = reading;
	return { unit, kind, at, content: maskSecrets(content) };
};
