import { handovers } from '$lib/server/handover';
import { demand } from '$lib/server/people';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	return { handovers: await handovers({ customerId: locals.customerId }) };
};
