import { groupDutySchema } from '$core/people';
import { formAction } from '$lib/server/forms';
import { demand, firmProvider, mapGroup, mappedGroups, mappedSchema, unmapGroup } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

/** What the firm's groups may do here: for administrators. */
export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'manage people');
	const [mapped, of] = await Promise.all([mappedGroups(), customers()]);
	return { mapped, customers: of, firm: firmProvider() };
};

const OF = 'manage people';
export const actions: Actions = {
	map: formAction(groupDutySchema, {
		of: OF,
		act: mapGroup,
		said: 'It counts when somebody of the group comes in.'
	}),
	unmap: formAction(mappedSchema, {
		of: OF,
		act: unmapGroup,
		said: 'It is removed. Whoever is here by it loses it when they come in again.'
	})
};
