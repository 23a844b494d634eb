import { readListQuery, UNIT_LIST } from '$core/list';
import { unitRows } from '$lib/server/intake';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

const MOST_LINES = 50_000;

/** The list of units as it is filtered and sorted, to take away. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, UNIT_LIST);
	const { rows } = await unitRows(locals.customerId, query, 0, MOST_LINES);
	const iso = (at: Date | string | null) => (at ? new Date(at).toISOString() : '');
	return listFile(
		'units',
		[
			['customer', 'serial number', 'model', 'MAC address', 'how it stands', 'site', 'position', 'version', 'sign of life', 'claimed', 'shipped to', 'configuration'], // prettier-ignore
			...rows.map((unit) => [
				unit.customerName,
				unit.serial,
				unit.modelName,
				unit.mac ?? '',
				unit.standing,
				unit.siteName ?? '',
				unit.positionName ?? '',
				unit.version ?? '',
				iso(unit.heardAt),
				iso(unit.claimedAt),
				unit.shippedTo ?? '',
				unit.drift ?? ''
			])
		],
		url.searchParams.get('as') === 'xlsx'
	);
};
