import * as v from 'valibot';
import { removeWay, saveWay, waySchema, waysOf } from '$lib/server/connections';
import { formAction, oneId } from '$lib/server/forms';
import { demand, maySee } from '$lib/server/people';
import { customers } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
	demand(locals, 'reach units');
	const mine = (await customers()).filter(({ id }) => maySee(locals, 'reach units', id));
	const ways = await waysOf(locals.customerId);
	return { mine, ways: ways.filter(({ customerId }) => maySee(locals, 'reach units', customerId)) };
};

export const actions: Actions = {
	make: formAction(waySchema, {
		of: 'reach units',
		act: (given, actor) => saveWay(given, actor),
		said: 'Made. Addresses of its ranges are reached by it from the next try on.'
	}),
	remove: formAction(v.object({ way: oneId('Choose a way in.') }), {
		of: 'reach units',
		act: ({ way }, actor) => removeWay(way, actor),
		said: 'Removed.'
	})
};
