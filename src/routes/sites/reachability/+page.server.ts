import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { readListQuery, REACH_LIST } from '$core/list';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import { brokenPaths, pathChanges, pathCounts, reachMatrix, reachRows } from '$lib/server/reachability';
import type { PageServerLoad } from './$types';

const CHANGES = 12;

/** Who reaches whom at one customer: the one that is asked for, chosen, or in trouble. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const query = readListQuery(url.searchParams, REACH_LIST);
	const [all, broken] = await Promise.all([customers(), brokenPaths(locals.customerId)]);
	const seen = all.filter(({ id }) => maySee(locals, 'see', id));
	const wanted = query.filters.customer ?? locals.customerId ?? broken[0]?.customerId ?? seen[0]?.id;
	const customer = seen.find(({ id }) => id === wanted);
	if (query.filters.customer && !v.is(v.pipe(v.string(), v.uuid()), query.filters.customer))
		error(404, 'There is no such customer.');
	if (!customer) return { query, seen, customer: null };
	const asTable = query.filters.show === 'table';
	const [counts, changes, matrix] = await Promise.all([
		pathCounts(customer.id),
		pathChanges({ customerId: customer.id }, CHANGES),
		asTable ? null : reachMatrix(customer.id)
	]);
	const first = matrix ? null : await reachRows(customer.id, query, 0);
	return { query, seen, customer, counts, changes, matrix, first };
};
