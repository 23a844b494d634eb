import { allAway, uptimeOf, type Absence, type Span, type Uptime } from './uptime';

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

/** What is known of a unit at a site, as it is read; moments in milliseconds since the epoch. */
export interface UptimeRow
	extends
		Omit<UnitUptime, 'isAway' | 'uptime' | 'absences'>,
		Omit<SiteUptime, 'siteId' | 'uptime' | 'units'> {
	readonly since: number;
	readonly awaySince: number | null;
	readonly absences: readonly [number, number, string][] | null;
}

/**
 * For how much of a period each site and each of its units was there, planned interruptions taken out, in the order in
 * which the rows came. `now`: until then lasts what has not ended.
 */
export function siteUptimes(rows: readonly UptimeRow[], period: Span, now: number): readonly SiteUptime[] {
	const sites = new Map<string, { row: UptimeRow; units: UnitUptime[]; since: number }>();
	for (const row of rows) {
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
