import {
	siteUptimes,
	uptimeOf,
	type Absence,
	type SiteUptime,
	type Span,
	type Uptime
} from '../../../core/health';
import { database, timeNow } from '../database';

/**
 * Sites with their units and when those were away (core/health `UptimeRow`): of customers (null: of all), of some units (null:
 * of all), between two moments; of one site (null: of all) with each of its units, else with those that were not there all the
 * time.
 */
export const UPTIME_ROWS = `select site.id as "siteId", site.name as "siteName", customer.id as "customerId", customer.name as "customerName",
			site.locality, site.latitude, site.longitude, steady, coalesce(units, '[]') as units
		from (
			select position.site_id, count(*) filter (where is_steady)::int as steady,
				json_agg(json_build_array(binding.unit_id, (select serial from unit where unit.id = binding.unit_id), position.id, position.name, position.role_id,
					-- it came online here, or was known to be here before that; before the period it does not matter when
					extract(epoch from case when run.ended_at <= :from then run.ended_at else least(run.ended_at,
						(select min(r.ended_at) from run r where r.position_id = position.id and r.unit_id = binding.unit_id and r.outcome = 'through'),
						(select min(d.at) from health_day d where d.unit_id = binding.unit_id and d.at >= binding.bound_at)
					) end)::float8 * 1000,
					extract(epoch from case when held.unit_id is null then run.ended_at else held.ended_at end)::float8 * 1000,
					absences)) filter (where not is_steady) as units
			from binding join run on run.id = binding.run_id and run.outcome = 'through' join position on position.id = binding.position_id
			left join unit_connection held on held.unit_id = binding.unit_id
			left join (
				select unit_id, json_agg(json_build_array(extract(epoch from from_at)::float8 * 1000, extract(epoch from to_at)::float8 * 1000, planned)) as absences
				from absence where to_at > :from and from_at < :to
					and (:customers::uuid[] is null or customer_id = any (:customers::uuid[])) and (:units::uuid[] is null or unit_id = any (:units::uuid[]))
					and (:site::uuid is null or unit_id = any (array(select b.unit_id from binding b join position p on p.id = b.position_id where p.site_id = :site::uuid)))
				group by unit_id
			) away on away.unit_id = binding.unit_id
			cross join lateral (select :site::uuid is null and held.unit_id is not null and held.ended_at is null and away.unit_id is null and run.ended_at <= :from as is_steady) s
			where (:customers::uuid[] is null or binding.customer_id = any (:customers::uuid[])) and (:site::uuid is null or position.site_id = :site::uuid)
				and (:units::uuid[] is null or binding.unit_id = any (:units::uuid[]))
			group by position.site_id
		) there join site on site.id = there.site_id join customer on customer.id = site.customer_id
		order by customer.name, site.name`;

/**
 * For how much of a period each site and each of its units was there, planned interruptions taken out. `customers`: of
 * which; null for all that whoever asks may see. `siteId`: of one site, with each of its units.
 */
export async function uptimes(
	period: Span,
	{ customers = null, siteId = null }: { customers?: readonly string[] | null; siteId?: string | null },
	now = timeNow()
): Promise<readonly SiteUptime[]> {
	const { rows } = await database().raw(UPTIME_ROWS, {
		customers: customers && [...customers],
		site: siteId,
		units: null,
		from: new Date(period.from),
		to: new Date(period.to)
	});
	return siteUptimes(rows, period, now);
}

/** The zone of places that have none. */
const NO_ZONE = 'UTC';

/** When one unit was away in a span, and for how much of it that was; with the zone of its site. */
export async function absencesOf(
	unitId: string,
	span: Span,
	now = timeNow()
): Promise<{ readonly absences: readonly Absence[]; readonly uptime: Uptime; readonly zone: string }> {
	const place = await database()('binding')
		.join('position', 'position.id', 'binding.position_id')
		.join('site', 'site.id', 'position.site_id')
		.where('binding.unit_id', unitId)
		.first('site.id as siteId', 'time_zone as zone');
	const [site] = place ? await uptimes(span, { siteId: place.siteId }, now) : [];
	const unit = site?.units.find((one) => one.unitId === unitId);
	return {
		absences: unit?.absences ?? [],
		uptime: unit?.uptime ?? uptimeOf(span, now, now, []),
		zone: place?.zone ?? NO_ZONE
	};
}
