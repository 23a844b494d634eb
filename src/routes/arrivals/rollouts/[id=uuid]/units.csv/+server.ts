import { error } from '@sveltejs/kit';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { itemsOfRollout, MOST_UNITS, rolloutById } from '$lib/server/rollout';
import type { RequestHandler } from './$types';

const HEADINGS = [
	'wave',
	'customer',
	'site',
	'position',
	'serial',
	'model',
	'from',
	'to',
	'outcome',
	'words',
	'begun',
	'ended'
];

/** What became of each unit of a rollout, as CSV (RFC 4180). */
export const GET: RequestHandler = async ({ locals, params }) => {
	demand(locals, 'see renderings');
	const rollout = await rolloutById(params.id);
	if (!rollout) error(404, 'There is no such rollout.');
	const items = await itemsOfRollout(rollout.id, { limit: MOST_UNITS });
	const rows = items.map((one) => [
		one.wave === null ? '' : String(one.wave + 1), one.customer, one.siteName, one.positionName, one.serial, one.model, one.from, one.to ?? '',
		one.state, one.words, one.begunAt?.toISOString() ?? '', one.endedAt?.toISOString() ?? ''
	]); // prettier-ignore
	return listFile(`rollout-${rollout.id.slice(0, 8)}`, [HEADINGS, ...rows], false);
};
