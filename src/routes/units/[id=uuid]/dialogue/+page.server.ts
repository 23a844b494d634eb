import { error } from '@sveltejs/kit';
import { dialogueOf, dialogueSize } from '$lib/server/connections';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

const PAGE = 200;
const MOST_TEXT = 200;

export const load: PageServerLoad = async ({ params, url, depends, locals }) => {
	depends('limen:live');
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const text = url.searchParams.get('q')?.trim().slice(0, MOST_TEXT) ?? '';
	const asked = url.searchParams.get('before') ?? '';
	const before = /^\d{1,18}$/.test(asked) ? asked : null;
	const lines = await dialogueOf(unit.id, { text, before, limit: PAGE + 1 });
	return {
		unit,
		text,
		before,
		lines: lines.slice(0, PAGE).reverse(),
		older: lines.length > PAGE ? lines[PAGE - 1]!.id : null,
		size: await dialogueSize(unit.id)
	};
};
