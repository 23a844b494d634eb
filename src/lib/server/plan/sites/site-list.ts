import { ROWS_AT_ONCE, type ListQuery } from '../../../../core/list';
import type { SiteStanding } from '../../../../core/plan';
import type { UplinkKind } from '../../../../core/profile';
import { database } from '../../database';
import {
	allOf,
	containing,
	listCounts,
	listIds,
	listRows,
	rowsOf,
	type ListRows,
	type ListSource
} from '../../list';

/** A site as the list of sites shows it. */
export interface SiteLine {
	readonly id: string;
	readonly name: string;
	readonly street: string;
	readonly locality: string;
	readonly latitude: number | null;
	readonly longitude: number | null;
	readonly timeZone: string;
	readonly contact: string;
	readonly uplink: UplinkKind;
	readonly appointmentAt: Date | string | null;
	readonly technicianName: string | null;
	readonly patternName: string | null;
	readonly customerName: string;
	readonly word: SiteStanding['word'];
	readonly online: number;
	readonly positions: number;
}

/** What each column is sorted by. */
const SORTS: Readonly<Record<string, string>> = {
	name: 'lower(site.name)',
	standing: `array_position(array['stuck', 'proof-failed', 'not-heard', 'under way', 'unproven', 'waiting', 'open', 'online', 'empty'], word)`,
	place: 'lower(locality)',
	uplink: 'uplink',
	appointment: 'appointment_at',
	technician: 'lower(colleague.name)',
	pattern: 'lower(site_pattern.name)',
	customer: 'customer.name'
};

/** Sites with what stands beside each, of which PostgreSQL leaves out what is not asked for. */
const SITES = `site left join customer on customer.id = site.customer_id left join site_pattern on site_pattern.id = pattern_id
	left join (select distinct on (id) id, name from limen_colleagues()) colleague on colleague.id = technician_id`;

function source(
	customerId: string | null,
	{ text, filters, sort }: Pick<ListQuery, 'text' | 'filters'> & Partial<Pick<ListQuery, 'sort'>>,
	isCounted = false
): ListSource {
	const { pattern, standing } = filters;
	const said = text.trim();
	// How a site stands is worked out from all of its positions
	const tellsStanding = isCounted || sort?.column === 'standing' || Boolean(standing);
	return {
		id: 'site.id',
		from: `${SITES} ${tellsStanding ? 'join site_standing stands on stands.site_id = site.id' : ''}
			where ${allOf([
				customerId !== null && 'site.customer_id = :customer::uuid',
				said !== '' && `concat_ws(' ', site.name, locality, street, customer.name) ilike :like`,
				Boolean(pattern) && 'pattern_id::text = :pattern',
				Boolean(standing) && 'word = :standing'
			])}`,
		values: { customer: customerId, like: containing(said), pattern, standing },
		sort: SORTS[sort?.column ?? ''] ?? SORTS.name!,
		tie: 'lower(site.name)',
		rows: (
			few
		) => `select site.id, site.name, street, locality, latitude, longitude, time_zone as "timeZone", contact, uplink,
				appointment_at as "appointmentAt", customer.name as "customerName", colleague.name as "technicianName", site_pattern.name as "patternName",
				word, online, positions
			from shown join (${SITES}) on site.id = shown.id::uuid ${
				few
					? 'cross join lateral (select * from site_standing s where s.site_id = site.id offset 0) stands'
					: 'join site_standing stands on stands.site_id = site.id'
			} order by place`
	};
}

/** A window of the list of sites. */
export const siteRows = (
	customerId: string | null,
	query: ListQuery,
	offset: number,
	limit = ROWS_AT_ONCE
): Promise<ListRows<SiteLine>> => listRows(source(customerId, query), query, offset, limit);

/** How many sites there are by how they stand, among those that fit otherwise. */
export const siteCounts = (
	customerId: string | null,
	{ filters, text }: Pick<ListQuery, 'text' | 'filters'>
) => listCounts(source(customerId, { text, filters: { ...filters, standing: '' } }, true), 'word');

/** The ids of all sites that fit. */
export const siteIds = (
	customerId: string | null,
	{ filters, text }: ListQuery,
	most: number
): Promise<string[]> => listIds(source(customerId, { text, filters }), most);

/** An appointment, on its day as the site counts it. */
export interface Appointment extends SiteLine {
	readonly day: string;
	readonly minutes: number;
}
const MOST_IN_A_WEEK = 1000;

/** The appointments on some days, each in its site's own time, the first first; a thousand at most. */
export async function appointmentsOn(
	customerId: string | null,
	days: readonly string[]
): Promise<readonly Appointment[]> {
	const { rows: found }: { rows: { id: string; day: string; minutes: number }[] } = await database().raw(
		`select id, to_char(appointment_at at time zone time_zone, 'YYYY-MM-DD') as day, appointment_minutes as minutes from site
		where (:customer::uuid is null or customer_id = :customer::uuid) and (appointment_at at time zone time_zone)::date = any (:days::date[])
		order by appointment_at, id limit ${MOST_IN_A_WEEK}`,
		{ customer: customerId, days: [...days] }
	);
	const of = new Map(found.map(({ id, ...one }) => [id, one]));
	const lines = await rowsOf<SiteLine>(
		source(customerId, { text: '', filters: {} }),
		found.map(({ id }) => id)
	);
	return lines.map((line) => ({ ...line, ...of.get(line.id)! }));
}

/** How many sites there are by how they stand; and those that are not online and whose appointment is before a moment, the first first. */
export async function sitesAhead(
	customerId: string | null,
	before: Date,
	limit: number
): Promise<{
	readonly counts: Readonly<Partial<Record<SiteStanding['word'], number>>>;
	readonly due: readonly SiteLine[];
}> {
	const { rows } = await database().raw(
		`with known as materialized (
			select site.id, appointment_at, word from site join site_standing stands on stands.site_id = site.id
			where :customer::uuid is null or site.customer_id = :customer::uuid
		) select
			(select coalesce(json_object_agg(word, count), '{}') from (select word, count(*) from known group by 1) each) as counts,
			array(select id from known where word <> 'online' and appointment_at < :before order by appointment_at, id limit :limit) as due`,
		{ customer: customerId, before, limit }
	);
	const [{ counts, due }] = rows;
	return { counts, due: await rowsOf(source(customerId, { text: '', filters: {} }), due) };
}
