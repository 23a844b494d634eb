import { customers } from '$lib/server/plan';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends }) => {
	depends('limen:customers');
	return { customers: await customers(), customerId: locals.customerId };
};
