import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { arrivalsAfter, standingCounts } from '$lib/server/runs';
import { withEnds } from '$lib/server/watch';
import type { RequestHandler } from './$types';

const PAGE = 500;

/** All that is on the board, a page at a time: the first says how many stand how, each after which run the next begins. */
export const GET: RequestHandler = async ({ url, locals: { customerId } }) => {
	const given = v.safeParse(v.pipe(v.string(), v.uuid()), url.searchParams.get('after'));
	const after = given.success ? given.output : null;
	const counts = after === null ? await standingCounts(customerId) : null;
	const rows = await withEnds(await arrivalsAfter(customerId, after, PAGE));
	return json({ rows, counts, next: rows.length < PAGE ? null : rows.at(-1)!.runId });
};
