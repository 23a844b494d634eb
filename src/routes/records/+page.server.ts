import { database } from '$lib/server/database';
import { ledgerActs, readLedger } from '$lib/server/ledger';
import type { PageServerLoad } from './$types';

const PAGE = 100;

export const load: PageServerLoad = async ({ locals, url }) => {
	const before = url.searchParams.get('before');
	const act = url.searchParams.get('act');
	const entries = await readLedger(database(), {
		customerId: locals.customerId,
		act,
		before: before && /^\d{1,18}$/.test(before) ? before : null,
		limit: PAGE + 1
	});
	return {
		acts: await ledgerActs(database()),
		act,
		entries: entries.slice(0, PAGE),
		older: entries.length > PAGE ? entries[PAGE - 1]!.id : null
	};
};
