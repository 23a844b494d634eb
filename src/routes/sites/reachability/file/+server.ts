import { error } from '@sveltejs/kit';
import { readListQuery, REACH_LIST } from '$core/list';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { customerIn, reachRows } from '$lib/server/reachability';
import type { RequestHandler } from './$types';

/** More would keep everybody else waiting while they are written. */
const MOST_LINES = 50_000;
const HEADINGS = [
	'from',
	'to',
	'path',
	'planned',
	'there and back in ms',
	'loss in %',
	'what was found',
	'by this path since',
	'looked at'
];

/** The list of pairs as it is filtered and sorted, to take away. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, REACH_LIST);
	const { rows, total } = await reachRows(customerIn(query) ?? locals.customerId, query, 0, MOST_LINES);
	if (total > MOST_LINES)
		error(
			413,
			`${total} pairs are too many for one file. Show the table, filter it by a site or a path, and take that.`
		);
	const iso = (at: Date | string) => new Date(at).toISOString();
	return listFile(
		'reachability',
		[
			HEADINGS,
			...rows.map((pair) => [
				pair.from,
				pair.to,
				pair.path,
				pair.planned,
				String(pair.milliseconds ?? ''),
				String(pair.loss ?? ''),
				pair.words,
				iso(pair.pathSince),
				iso(pair.lookedAt)
			])
		],
		url.searchParams.get('as') === 'xlsx'
	);
};
