import { allAway, uptimeOf, type Absence, type Span, type Uptime } from '../../../core/health';
import { database } from '../database';

export interface UnitUptime {
	readonly unitId: string;
	readonly serial: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly role: string;
	readonly siteId: string;
	/** Whether it is away now. */
	readonly isAway: boolean;
	readonly uptime: Uptime;
	readonly absences: readonly Absence[];
}
export interface SiteUptime {
	readonly siteId: string;
	readonly siteName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly locality: string;
	readonly latitude: number | null;
	readonly longitude: number | null;
	/** When anybody there was connected: its way out. */
	readonly uptime: Uptime;
	readonly units: readonly UnitUptime[];
}

interface Row
	extends
		Omit<UnitUptime, 'isAway' | 'uptime' | 'absences'>,
		Omit<SiteUptime, 'siteId' | 'uptime' | 'units'> {
	readonly since: number;
	readonly awaySince: number | null;
	readonly absences: readonly [number, number, string][] | null;
}

/**
 * For how much of a period each site and each of its units was there, planned interruptions taken out. `customers`: of
 * which; null for all that whoever asks may see. `siteId`: of one site.
 */
export async function uptimes(
	period: Span,
	{ customers = null, siteId = null }: { customers?: readonly string[] | null; siteId?: string | null },
	now = Date.now()
): Promise<readonly SiteUptime[]> {
	const { rows } = await database().raw(
		`select unit.id as "unitId", unit.serial, position.id as "positionId", position.name as "positionName", position.role_id as role, site.id as "siteId",
			site.name as "siteName", customer.id as "customerId", customer.name as "customerName", site.locality, site.latitude, site.longitude,
			-- it came online here, or was known to be here before that
			extract(epoch from least(run.ended_at,
				(select min(r.ended_at) from run r where r.position_id = position.id and r.unit_id = unit.id and r.outcome = 'through'),
				(select min(d.at) from health_day d where d.unit_id = unit.id and d.at >= binding.bound_at)
			))::float8 * 1000 as since,
			extract(epoch from case when held.unit_id is null then run.ended_at else held.ended_at end)::float8 * 1000 as "awaySince",
			(select json_agg(json_build_array(extract(epoch from a.from_at)::float8 * 1000, extract(epoch from a.to_at)::float8 * 1000, a.planned))
				from absence a where a.unit_id = unit.id and a.to_at > :from and a.from_at < :to) as absences
		from binding join run on run.id = binding.run_id and run.outcome = 'through'
		join unit on unit.id = binding.unit_id join position on position.id = binding.position_id
		join site on site.id = position.site_id join customer on customer.id = site.customer_id
		left join unit_connection held on held.unit_id = unit.id
		where (:customers::uuid[] is null or site.customer_id = any (:customers::uuid[])) and (:site::uuid is null or site.id = :site::uuid)
		order by customer.name, site.name, position.name`,
		{
			customers: customers && [...customers],
			site: siteId,
			from: new Date(period.from),
			to: new Date(period.to)
		}
	);
	const sites = new Map<string, { row: Row; units: UnitUptime[]; since: number }>();
	for (const row of rows as Row[]) {
		const absences: Absence[] = [
			...(row.absences ?? []).map(([from, to, planned]) => ({ from, to, planned })),
			...(row.awaySince !== null ? [{ from: row.awaySince, to: now, planned: '' }] : [])
		].filter(({ from, to }) => from < to);
		const site = sites.get(row.siteId) ?? { row, units: [], since: row.since };
		sites.set(row.siteId, site);
		site.since = Math.min(site.since, row.since);
		const { unitId, serial, positionId, positionName, role, siteId: of } = row;
		site.units.push({
			unitId,
			serial,
			positionId,
			positionName,
			role,
			siteId: of,
			isAway: row.awaySince !== null,
			uptime: uptimeOf(period, row.since, now, absences),
			absences
		});
	}
	return [...sites.values()].map(({ row, units, since }) => {
		const { siteName, customerId, customerName, locality, latitude, longitude } = row;
		return {
			siteId: row.siteId,
			siteName,
			customerId,
			customerName,
			locality,
			latitude,
			longitude,
			uptime: uptimeOf(period, since, now, allAway(units.map(({ absences }) => absences))),
			units
		};
	});
}

/** The zone of places that have none. */
const NO_ZONE = 'UTC';

/** When one unit was away in a span, and for how much of it that was; with the zone of its site. */
export async function absencesOf(
	unitId: string,
	span: Span,
	now = Date.now()
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
