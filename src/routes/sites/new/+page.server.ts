import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { factsFrom } from '$core/plan';
import { database } from '$lib/server/database';
import { formAction, oneId } from '$lib/server/forms';
import { maySee } from '$lib/server/people';
import { demand } from '$lib/server/people/requests';
import {
	colleagues,
	createSite,
	customers,
	NO_CUSTOMER,
	siteFormSchema,
	standingSites
} from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

/** A new site; what is usual at its customer is filled in. */
export const load: PageServerLoad = async ({ url, locals }) => {
	demand(locals, 'plan sites');
	const mine = (await customers()).filter(({ id }) => maySee(locals, 'plan sites', id));
	const asked = url.searchParams.get('customer') ?? locals.customerId;
	const customer = mine.find(({ id }) => id === asked) ?? mine[0];
	if (!customer) error(404, NO_CUSTOMER);
	const [last] = await standingSites(database(), (query) =>
		query.where('site.customer_id', customer.id).limit(1)
	);
	const { timeZone, uplink, country } = last?.facts ?? { timeZone: 'Pacific/Auckland' };
	return {
		mine,
		customer,
		site: {
			facts: factsFrom(
				{ name: '' },
				{ timeZone, ...(uplink ? { uplink } : {}), ...(country ? { country } : {}) }
			),
			appointment: '',
			minutes: 60,
			technicianId: null
		},
		technicians: await colleagues(database(), customer.id)
	};
};

const schema = v.object({ customer: oneId('Choose the customer.'), ...siteFormSchema.entries });

export const actions: Actions = {
	default: formAction(schema, {
		act: ({ customer, ...form }, actor) => createSite(customer, form, actor),
		goes: ({ id }) => `/sites/${id}`
	})
};
