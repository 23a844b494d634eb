import * as v from 'valibot';
import { BITS, parsePrefix, SPLIT_POLICIES } from '$core/address';
import { fieldNameSchema } from '$core/profile';
import { formAction, oneId, whichever } from '$lib/server/forms';
import { maySee, demand } from '$lib/server/people';
import { createPool, POOL_SCOPES, poolStates } from '$lib/server/plan';
import { thingName } from '$lib/server/profile';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals, depends }) => {
	demand(locals, 'see renderings');
	depends('limen:live');
	const all = await poolStates(locals.customerId);
	return { pools: all.filter(({ customerId }) => maySee(locals, 'see renderings', customerId)) };
};

const whole = v.pipe(v.string(), v.regex(/^\d{1,10}$/, 'Write whole numbers.'), v.transform(Number));
const common = {
	customer: oneId('Choose the customer.'),
	name: thingName,
	field: fieldNameSchema,
	scope: v.picklist(POOL_SCOPES),
	policy: v.optional(v.picklist(SPLIT_POLICIES), 'next-free'),
	warn: v.optional(whole, '10')
};
const prefixSchema = v.pipe(
	v.object({
		...common,
		block: v.pipe(
			v.string(),
			v.trim(),
			v.check(
				(text) => parsePrefix(text) !== null,
				'Write the block as an address and a length, such as 10.40.0.0/16.'
			)
		),
		length: v.pipe(
			v.string(),
			v.transform((text) => text.trim().replace(/^\//, '')),
			v.regex(/^\d{1,3}$/, 'Write the length of one allotment, such as 24.'),
			v.transform(Number)
		)
	}),
	v.check(({ block, length }) => {
		const prefix = parsePrefix(block);
		// What is no block at all is told above
		return prefix === null || (length >= prefix.length && length <= BITS[prefix.version]);
	}, 'One allotment must fit into the block.')
);
const numberSchema = v.pipe(
	v.object({ ...common, first: whole, last: whole }),
	v.check(({ first, last }) => last >= first && last < 2 ** 32, 'The last number is not below the first.')
);

/** A form with a block is about prefixes, any other about numbers. */
const poolSchema = whichever([prefixSchema, numberSchema], ({ block }) =>
	block ? prefixSchema : numberSchema
);

export const actions: Actions = {
	make: formAction(poolSchema, {
		act: ({ customer, warn, name, field, scope, policy, ...given }, actor) => {
			const range =
				'block' in given
					? { block: given.block, length: given.length }
					: { first: given.first, last: given.last };
			return createPool({ customerId: customer, name, field, scope, policy, warnBelow: warn, range }, actor);
		},
		goes: ({ id }) => `/addresses/${id}`
	})
};
