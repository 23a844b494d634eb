import { ROWS_AT_ONCE, type ListQuery } from '../../../../core/list';
import type { SiteStanding } from '../../../../core/plan';
import { database } from '../../database';
import { containing, listCounts, listIds, listRows, type ListRows, type ListSource } from '../../list';

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
	readonly uplink: string;
	readonly appointmentAt: Date | string | null;
	readonly technicianName: string | null;
	readonly patternName: string | null;
	readonly customerName: string;
	readonly word: SiteStanding['word'];
	readonly online: number;
	readonly positions: number;
}

const WORD_ORDER = `array_position(array['stuck', 'proof-failed', 'not-heard', 'under way', 'unproven', 'waiting', 'open', 'online', 'empty'], word)`;

function source(
	customerId: string | null,
	{ text, filters }: Pick<ListQuery, 'text' | 'filters'>
): ListSource {
	return {
		sql: `with listed as (
			select * from (
				select site.id, site.name, street, locality, latitude, longitude, time_zone as "timeZone", contact, uplink,
					appointment_at as "appointmentAt", pattern_id, customer.name as "customerName",
					colleague.name as "technicianName", word, online, positions
				from site join customer on customer.id = site.customer_id join site_standing stands on stands.site_id = site.id
				left join (select distinct on (id) id, name from limen_colleagues()) colleague on colleague.id = technician_id
				where (:customer::uuid is null or site.customer_id = :customer::uuid)
					and (:said = '' or concat_ws(' ', site.name, locality, street, customer.name) ilike :like)
					and (:pattern = '' or pattern_id::text = :pattern)
			) one where :standing = '' or word = :standing
		)`,
		values: {
			customer: customerId,
			said: text.trim(),
			like: containing(text.trim()),
			pattern: filters.pattern ?? '',
			standing: filters.standing ?? ''
		},
		sorts: {
			name: 'lower(name)',
			standing: WORD_ORDER,
			place: 'lower(locality)',
			uplink: 'uplink',
			appointment: '"appointmentAt"',
			technician: 'lower("technicianName")',
			pattern: '(select lower(p.name) from site_pattern p where p.id = pattern_id)',
			customer: '"customerName"'
		},
		tie: 'lower(name), id',
		dressed: `select shown.*, site_pattern.name as "patternName" from shown left join site_pattern on site_pattern.id = pattern_id order by place`
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
export const siteCounts = (customerId: string | null, { filters, ...query }: ListQuery) =>
	listCounts(source(customerId, { ...query, filters: { ...filters, standing: '' } }), 'word');

/** The ids of all sites that fit. */
export const siteIds = (customerId: string | null, query: ListQuery, most: number): Promise<string[]> =>
	listIds(source(customerId, query), most);

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
	const { sql, values } = source(customerId, { text: '', filters: {} });
	const { rows } = await database().raw(
		`${sql} select listed.*, to_char("appointmentAt" at time zone "timeZone", 'YYYY-MM-DD') as day, site.appointment_minutes as minutes
		from listed join site on site.id = listed.id
		where ("appointmentAt" at time zone "timeZone")::date = any (:days::date[]) order by "appointmentAt", listed.id limit ${MOST_IN_A_WEEK}`,
		{ ...values, days: [...days] }
	);
	return rows;
}

/** Sites that are not online and whose appointment is before a moment, the first first. */
export async function dueSites(
	customerId: string | null,
	before: Date,
	limit: number
): Promise<readonly SiteLine[]> {
	const { sql, values } = source(customerId, { text: '', filters: {} });
	const { rows } = await database().raw(
		`${sql} select * from listed where word <> 'online' and "appointmentAt" < :before order by "appointmentAt", id limit :limit`,
		{ ...values, before, limit }
	);
	return rows;
}
