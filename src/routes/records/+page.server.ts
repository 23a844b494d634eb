import { database } from '$lib/server/database';
import { ledgerActs, ledgerFilter, readLedger } from '$lib/server/ledger';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

const PAGE = 100;

export const load: PageServerLoad = async ({ locals, url }) => {
	demand(locals, 'see records');
	const filter = ledgerFilter(url, locals.customerId);
	const entries = await readLedger(database(), filter, PAGE + 1);
	return {
		acts: await ledgerActs(database()),
		filter,
		query: url.search,
		entries: entries.slice(0, PAGE),
		older: entries.length > PAGE ? entries[PAGE - 1]!.id : null
	};
};
