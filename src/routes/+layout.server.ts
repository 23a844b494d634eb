import { timeNow } from '$lib/server/database';
import { ownWork } from '$lib/server/jobs';
import { customers } from '$lib/server/plan';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = async ({ locals, depends }) => {
	depends('limen:customers', 'limen:work');
	const { person } = locals;
	return {
		now: timeNow(),
		person: person && {
			id: person.id,
			name: person.name,
			email: person.email,
			administrator: person.administrator,
			duties: person.duties
		},
		customers: person ? await customers() : [],
		work: person ? await ownWork(person.id) : [],
		customerId: locals.customerId
	};
};
