import { timeNow } from '$lib/server/database';
import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { alerts } from '$lib/server/alerts';
import { customersWhere, demand } from '$lib/server/people';
import { needingSomebody } from '$lib/server/runs';
import type { RequestHandler } from './$types';

const moment = v.fallback(v.nullable(v.pipe(v.string(), v.isoTimestamp())), null);
/** So many alerts are told in a corner of a page; the rest stand where all do. */
const MOST_TOLD = 3;

/** How many units need a person, the number in the tab's title; and which alerts began since it was asked last. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const now = new Date(timeNow());
	const since = v.parse(moment, url.searchParams.get('since'));
	const [count, told] = await Promise.all([
		needingSomebody(locals.customerId),
		since === null
			? []
			: alerts(customersWhere(locals, 'see renderings', locals.customerId), {
					unseen: true,
					limit: MOST_TOLD
				})
	]);
	const begun = told.filter(({ beganAt }) => since !== null && beganAt > new Date(since));
	return json(
		{ count, now, alerts: begun.map(({ id, words, where }) => ({ id, words, where })) },
		{ headers: { 'cache-control': 'no-store' } }
	);
};
