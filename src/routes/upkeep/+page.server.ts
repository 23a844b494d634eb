import { TOUCHES, type Touches } from '$core/drift';
import { driftCounts, findingGroups, GROUPS_AT_ONCE } from '$lib/server/drift';
import { offsetIn } from '$lib/server/list';
import { customersWhere, demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals, url }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const given = url.searchParams.get('touches');
	const touches = (TOUCHES as readonly string[]).includes(given ?? '') ? (given as Touches) : null;
	const left = url.searchParams.has('left');
	const offset = offsetIn(url);
	const customers = customersWhere(locals, 'see renderings', locals.customerId);
	const [groups, counts] = await Promise.all([
		findingGroups(customers, { touches, left, offset }),
		driftCounts(customers)
	]);
	return { groups, counts, touches, left, offset, atOnce: GROUPS_AT_ONCE };
};
