import { error } from '@sveltejs/kit';
import { itemsOf, workById } from '$lib/server/jobs';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

const MOST = 20_000;

/** What was not done, and why, to work through. */
export const GET: RequestHandler = async ({ params, locals }) => {
	demand(locals, 'see');
	const work = await workById(params.id);
	if (!work) error(404, 'There is no such work.');
	const items = await itemsOf(work.id, { limit: MOST, only: 'failed' });
	return listFile(
		'not-done',
		[['which', 'why'], ...items.map(({ subject, words }) => [subject, words])],
		false
	);
};
