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
	/** Of its units, how many are left out below because they were there all the time. */
	readonly steady: number;
	readonly units: readonly UnitUptime[];
}

/** What is known of a site and of its units, as it is read; moments in milliseconds since the epoch. */
export interface UptimeRow extends Omit<SiteUptime, 'uptime' | 'units'> {
	readonly units: readonly UptimeOf[];
}
/** A unit at a site; one after the other, because there are many: who, where, since when, away since when, and when it was away. */
export type UptimeOf = readonly [
	unitId: string,
	serial: string,
	positionId: string,
	positionName: string,
	role: string,
	since: number,
	awaySince: number | null,
	absences: readonly (readonly [from: number, to: number, planned: string])[] | null
];

const byPosition = new Intl.Collator('en', { numeric: true });

/**
 * For how much of a period each site and each of its units was there, planned interruptions taken out: sites in the order
 * in which the rows came, their units by the names of their positions. `now`: until then lasts what has not ended.
 */
export const siteUptimes = (rows: readonly UptimeRow[], period: Span, now: number): readonly SiteUptime[] =>
	rows.map(({ units: told, ...site }) => {
		const units = told
			.map(([unitId, serial, positionId, positionName, role, since, awaySince, known]): UnitUptime => {
				const absences = [
					...(known ?? []).map(([from, to, planned]): Absence => ({ from, to, planned })),
					...(awaySince !== null ? [{ from: awaySince, to: now, planned: '' }] : [])
				].filter(({ from, to }) => from < to);
				const uptime = uptimeOf(period, since, now, absences);
				const isAway = awaySince !== null;
				return {
					unitId,
					serial,
					positionId,
					positionName,
					role,
					siteId: site.siteId,
					isAway,
					uptime,
					absences
				};
			})
			.sort((one, other) => byPosition.compare(one.positionName, other.positionName));
		const since = Math.min(
			...told.map(([, , , , , from]) => from),
			...(site.steady > 0 ? [period.from] : [])
		);
		const away = site.steady > 0 ? [] : allAway(units.map(({ absences }) => absences));
		return { ...site, uptime: uptimeOf(period, since, now, away), units };
	});

/** The unit of a site that was away longest; null where none was. */
export const worstOf = ({ units }: Pick<SiteUptime, 'units'>): UnitUptime | null =>
	units
		.filter(({ uptime }) => uptime.away > 0)
		.reduce<UnitUptime | null>(
			(worst, unit) => (worst === null || shareOf(unit) < shareOf(worst) ? unit : worst),
			null
		);

/** For orders, the worst first: what was not in service comes last. */
export const shareOf = ({ uptime: { share } }: { readonly uptime: Pick<Uptime, 'share'> }): number =>
	share ?? 101;
