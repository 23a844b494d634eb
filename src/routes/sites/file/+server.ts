import { readListQuery, SITE_LIST } from '$core/list';
import { writeLocalTime } from '$core/plan';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import { siteRows } from '$lib/server/plan';
import type { RequestHandler } from './$types';

const MOST_LINES = 50_000;

/** The list of sites as it is filtered and sorted, to take away. */
export const GET: RequestHandler = async ({ locals, url }) => {
	demand(locals, 'see');
	const query = readListQuery(url.searchParams, SITE_LIST);
	const { rows } = await siteRows(locals.customerId, query, 0, MOST_LINES);
	return listFile(
		'sites',
		[
			['customer', 'site', 'how it stands', 'online', 'positions', 'street', 'locality', 'uplink', 'appointment', 'time zone', 'technician', 'contact', 'pattern'], // prettier-ignore
			...rows.map((site) => [
				site.customerName,
				site.name,
				site.word,
				String(site.online),
				String(site.positions),
				site.street,
				site.locality,
				site.uplink,
				site.appointmentAt ? writeLocalTime(new Date(site.appointmentAt).getTime(), site.timeZone) : '',
				site.timeZone,
				site.technicianName ?? '',
				site.contact,
				site.patternName ?? ''
			])
		],
		url.searchParams.get('as') === 'xlsx'
	);
};
