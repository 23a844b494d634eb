import { error } from '@sveltejs/kit';
import { fileResponse } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { sheetAsCsv, sheetAsXlsx, sheetColumns, sheetRows, sheetChoice } from '$lib/server/plan';
import type { RequestHandler } from './$types';

const MOST_ROWS = 20_000;

/** The value sheet as a file, with exactly the columns that the profile needs. Secrets are masked. */
export const GET: RequestHandler = async ({ url, locals }) => {
	demand(locals, 'see renderings');
	const { profileId, ...asked } = sheetChoice(url, locals);
	if (!profileId) error(400, 'Which profile?');
	const choice = { customerId: null, ...asked, profileId };
	const [columns, rows] = await Promise.all([sheetColumns(choice), sheetRows(choice, 0, MOST_ROWS)]);
	const asXlsx = url.searchParams.get('as') === 'xlsx';
	const body = asXlsx ? new Uint8Array(await sheetAsXlsx(columns, rows)) : sheetAsCsv(columns, rows);
	return fileResponse(body, 'values', asXlsx);
};
