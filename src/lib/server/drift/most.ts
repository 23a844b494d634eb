import type { Finding } from '../../../core/drift';
import { database } from '../database';

/** A statement that drifted, with how often, where and when. */
export interface OftenDrifted extends Pick<
	Finding,
	'kind' | 'path' | 'should' | 'runs' | 'after' | 'touches'
> {
	readonly id: string;
	readonly dialect: string;
	readonly times: number;
	readonly units: number;
	/** The sites where it drifted most often, by name. */
	readonly sites: readonly string[];
	readonly byWhom: readonly string[];
	readonly last: Date;
	/** How often in each hour of the day, in each site's own time. */
	readonly hours: readonly number[];
	readonly isOpen: boolean;
}

export const MOST_DAYS_BACK = 90;
const SHOWN = 25;
const SITES_SHOWN = 3;

/** What drifted most often in the last days, ended or not. `customers`: whose; null for all. */
export async function driftedMost(customers: readonly string[] | null): Promise<OftenDrifted[]> {
	const { rows } = await database().raw(
		`with counted as (
			select same, count(*)::int as times, count(distinct unit_id)::int as units, max(since) as last, bool_or(ended_at is null) as "isOpen",
				(array_agg(id order by since desc))[1] as id, coalesce(array_agg(distinct by_whom) filter (where by_whom <> ''), '{}') as "byWhom"
			from finding where since > now() - make_interval(days => :days) and (:customers::uuid[] is null or customer_id = any (:customers::uuid[]))
			group by same order by count(*) desc, max(since) desc limit :shown
		), places as (
			select counted.same, site.name, extract(hour from finding.since at time zone site.time_zone)::int as hour
			from counted join finding on finding.same = counted.same and finding.since > now() - make_interval(days => :days)
				and (:customers::uuid[] is null or finding.customer_id = any (:customers::uuid[]))
			join position on position.id = finding.position_id join site on site.id = position.site_id
		)
		select counted.*, kind, path, should, runs, after, touches, dialect,
			array(select name from places where places.same = counted.same group by name order by count(*) desc, name limit :sites) as sites,
			array(select (select count(*)::int from places where places.same = counted.same and hour = h) from generate_series(0, 23) h) as hours
		from counted join finding on finding.id = counted.id order by times desc, last desc`,
		{ customers: customers && [...customers], days: MOST_DAYS_BACK, shown: SHOWN, sites: SITES_SHOWN }
	);
	return rows;
}
