import { error, json } from '@sveltejs/kit';
import { demand } from '$lib/server/people';
import { sheetRows, sheetChoice } from '$lib/server/plan';
import type { RequestHandler } from './$types';

const MOST = 500;

/** Rows of the value sheet, as many as a page takes at once. */
export const GET: RequestHandler = async ({ url, locals }) => {
	demand(locals, 'see renderings');
	const { profileId, ...choice } = sheetChoice(url, locals);
	const offset = Number(url.searchParams.get('offset') ?? 0);
	if (!profileId || !Number.isSafeInteger(offset) || offset < 0) error(400, 'Which rows?');
	return json(await sheetRows({ customerId: null, ...choice, profileId }, offset, MOST));
};
