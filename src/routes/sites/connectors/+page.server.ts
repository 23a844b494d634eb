import { connectorFormSchema, connectors, saveConnector } from '$lib/server/connectors';
import { formAction } from '$lib/server/forms';
import { customersWhere, demand } from '$lib/server/people';
import { customers, patterns } from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

/** Scheduled exchanges with other systems: for whoever plans sites. */
export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'plan sites');
	depends('limen:live');
	const theirs = customersWhere(locals, 'plan sites', null);
	const [all, of, patternRows] = await Promise.all([
		connectors(locals.customerId),
		customers(),
		patterns(null)
	]);
	return {
		connectors: all.filter(({ customerId }) => theirs === null || theirs.includes(customerId)),
		customers: of.filter(({ id }) => theirs === null || theirs.includes(id)),
		patterns: patternRows
	};
};

export const actions: Actions = {
	save: formAction(connectorFormSchema, {
		of: 'plan sites',
		act: saveConnector,
		goes: ({ id }) => `/sites/connectors/${id}`
	})
};
