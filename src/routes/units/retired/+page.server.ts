import * as v from 'valibot';
import { formAction } from '$lib/server/forms';
import { demand } from '$lib/server/people';
import {
	destructions,
	RETIRED_AT_ONCE,
	retiredUnits,
	stateTerm,
	terms,
	termSchema
} from '$lib/server/retirement';
import type { Actions, PageServerLoad } from './$types';

const moment = v.fallback(v.nullable(v.pipe(v.string(), v.isoTimestamp())), null);

/** Retired units, how long each customer's are kept, and what was destroyed. */
export const load: PageServerLoad = async ({ locals, url, depends }) => {
	demand(locals, 'see');
	depends('limen:live');
	const { customerId } = locals;
	const text = (url.searchParams.get('text') ?? '').trim().slice(0, 100);
	const before = v.parse(moment, url.searchParams.get('before'));
	const [units, gone, all] = await Promise.all([
		retiredUnits({ customerId, text, before: before === null ? null : new Date(before) }),
		destructions(customerId),
		terms()
	]);
	return { units, gone, terms: all, text, hasMore: units.length === RETIRED_AT_ONCE };
};

export const actions: Actions = {
	term: formAction(termSchema, {
		of: 'manage people',
		act: stateTerm,
		said: 'It counts for what is retired from now on.'
	})
};
