import { error } from '@sveltejs/kit';
import { VERDICT_WORDS } from '$core/intake';
import { batchById, batchHead } from '$lib/server/intake';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

/** What came of each row of a batch, to take away. It holds no claim codes. */
export const GET: RequestHandler = async ({ params, locals, url }) => {
	const head = await batchHead(params.id);
	if (!head) error(404, 'There is no such batch.');
	demand(locals, 'see', head.customerId);
	const { lines } = (await batchById(params.id, false))!;
	return listFile(
		'intake-outcome',
		[
			['line', 'serial number', 'MAC address', 'outcome', 'reason', 'bound to'],
			...[...lines]
				.sort((one, other) => one.line - other.line)
				.map(({ line, serial, mac, verdict, reason, place }) => [
					String(line),
					serial,
					mac ?? '',
					VERDICT_WORDS[verdict],
					reason,
					place ?? ''
				])
		],
		url.searchParams.get('as') === 'xlsx'
	);
};
