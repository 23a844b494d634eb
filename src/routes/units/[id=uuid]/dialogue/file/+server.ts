import { error } from '@sveltejs/kit';
import { dialogueOf } from '$lib/server/connections';
import { unitById } from '$lib/server/intake';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** More than this is read on the page, a piece at a time. */
const MOST_LINES = 20_000;

/** What was said to a unit, as a text, oldest first. */
export const GET: RequestHandler = async ({ params, locals }) => {
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see renderings', unit.customerId);
	const lines = (await dialogueOf(unit.id, { limit: MOST_LINES })).reverse();
	const text = lines
		.map(
			({ at, speaker, words }) => `${at.toISOString()} ${speaker.padEnd(5)} ${words.replaceAll('\n', '\n\t')}`
		)
		.join('\n');
	return new Response(`${text}\n`, {
		headers: {
			'content-type': 'text/plain; charset=utf-8',
			'content-disposition': `attachment; filename="${unit.serial}-dialogue.txt"`
		}
	});
};
