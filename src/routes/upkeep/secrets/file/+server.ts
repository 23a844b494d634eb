import { timeNow } from '$lib/server/database';
import { listFile } from '$lib/server/list-response';
import { customersWhere, demand } from '$lib/server/people';
import { secretRows, secrets } from '$lib/server/secrets';
import type { RequestHandler } from './$types';

/** The secrets that somebody sees, without themselves, to take away as CSV or XLSX. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see renderings');
	const all = await secrets(customersWhere(locals, 'see renderings', locals.customerId), timeNow());
	return listFile('secrets', secretRows(all), url.searchParams.get('as') === 'xlsx');
};
