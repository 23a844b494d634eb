import { customers } from '$lib/server/plan';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends }) => {
	depends('limen:customers');
	const { person } = locals;
	return {
		now: Date.now(),
		person: person && {
			id: person.id,
			name: person.name,
			administrator: person.administrator,
			duties: person.duties
		},
		customers: person ? await customers() : [],
		customerId: locals.customerId
	};
};
