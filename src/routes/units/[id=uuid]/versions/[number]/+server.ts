import { error } from '@sveltejs/kit';
import { shownTextOf } from '$lib/server/archive';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** A version as text, its secrets masked. */
export const GET: RequestHandler = async ({ params, locals }) => {
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const number = /^\d{1,9}$/.test(params.number) ? Number(params.number) : 0;
	const text = await shownTextOf(unit.id, number);
	if (text === null) error(404, 'This version is not kept any more.');
	return new Response(text, {
		headers: {
			'content-type': 'text/plain; charset=utf-8',
			'content-disposition': `attachment; filename="${unit.serial}-${number}.txt"`
		}
	});
};
