import { error } from '@sveltejs/kit';
import * as v from 'valibot';
import { factsFrom, valueHeading } from '$core/plan';
import { database } from '$lib/server/database';
import { formAction, oneId } from '$lib/server/forms';
import { maySee, demand } from '$lib/server/people';
import {
	colleagues,
	customers,
	lookAtSite,
	NO_CUSTOMER,
	patternById,
	patterns,
	planSite,
	siteFormSchema,
	standingSites,
	stampColumns,
	type OneSite
} from '$lib/server/plan';
import type { Actions, PageServerLoad } from './$types';

/** A new site, from nothing until it is ready for its appointment; what is usual at its customer is filled in. */
export const load: PageServerLoad = async ({ url, locals }) => {
	demand(locals, 'plan sites');
	const mine = (await customers()).filter(({ id }) => maySee(locals, 'plan sites', id));
	const asked = url.searchParams.get('customer') ?? locals.customerId;
	const customer = mine.find(({ id }) => id === asked) ?? mine[0];
	if (!customer) error(404, NO_CUSTOMER);
	const [[last], stamps] = await Promise.all([
		standingSites(database(), (query) => query.where('site.customer_id', customer.id).limit(1)),
		patterns(customer.id)
	]);
	const wanted = url.searchParams.get('pattern');
	const pattern = wanted === 'none' ? null : (stamps.find(({ id }) => id === wanted) ?? stamps[0] ?? null);
	const stored = pattern && (await patternById(database(), pattern.id));
	const { timeZone, uplink, country } = last?.facts ?? { timeZone: 'Pacific/Auckland' };
	return {
		mine,
		customer,
		patterns: stamps,
		pattern,
		/** What the profiles of the pattern ask for at each site or position. */
		values: stored
			? (await stampColumns(stored)).map((column) => ({
					heading: valueHeading(column),
					position: column.position,
					name: column.field.name,
					description: column.field.description,
					example: column.field.example,
					secret: column.secret
				}))
			: [],
		site: {
			facts: factsFrom(
				{ name: '' },
				{ timeZone, ...(uplink ? { uplink } : {}), ...(country ? { country } : {}) }
			),
			appointment: '',
			minutes: 60,
			technicianId: null
		},
		around:
			last && last.facts.latitude !== null && last.facts.longitude !== null
				? { latitude: last.facts.latitude, longitude: last.facts.longitude }
				: null,
		technicians: await colleagues(database(), customer.id)
	};
};

const MOST_VALUES = 300;
const valuesSchema = v.pipe(
	v.record(v.string(), v.unknown()),
	v.transform((form) =>
		Object.entries(form).flatMap(([name, value]) =>
			name.startsWith(VALUE) && typeof value === 'string' && value.trim() !== ''
				? [[name.slice(VALUE.length), value] as const]
				: []
		)
	),
	v.maxLength(MOST_VALUES, 'These are more values than a site has.')
);
/** What the names of value fields begin with. */
const VALUE = 'value:';
const schema = v.intersect([
	v.object({
		customer: oneId('Choose the customer.'),
		pattern: v.union([v.literal('none'), oneId('Choose a pattern.')])
	}),
	v.pipe(
		siteFormSchema,
		v.transform((form) => ({ form }))
	),
	v.pipe(
		valuesSchema,
		v.transform((values) => ({ values }))
	)
]);
const asOne = ({ customer, pattern, form, values }: v.InferOutput<typeof schema>): OneSite => ({
	customerId: customer,
	patternId: pattern === 'none' ? null : pattern,
	form,
	values
});

export const actions: Actions = {
	look: formAction(schema, {
		of: 'plan sites',
		act: (given, actor) => lookAtSite(asOne(given), actor),
		said: (looked) => ({ looked })
	}),
	plan: formAction(schema, {
		act: (given, actor) => planSite(asOne(given), actor),
		goes: ({ id }) => `/sites/${id}`
	})
};
