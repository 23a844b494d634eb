import type { Knex } from 'knex';
import type { Cable, Pattern, PatternPlace, Stamp, StampedPlace, StandingSite } from '../../../../core/plan';
import type { Values } from '../../../../core/profile';
import { opened } from '../../profile';

/** Sites and patterns as the core compares them: with what was stamped, and secrets in clear. */
export interface StoredPattern extends Pattern {
	readonly id: string;
	readonly customerId: string;
	readonly name: string;
	readonly note: string;
	readonly edit: number;
	readonly places: readonly (PatternPlace & {
		readonly profileName: string;
		/** The position to which its sites’ tunnels lead. */
		readonly tunnelTo: string | null;
	})[];
	/** Between its places; null: each site is cabled as proposed. */
	readonly cables: readonly Cable[] | null;
}

/** Columns of a site's facts, under the names that the core gives them. */
export const FACT_COLUMNS = [
	'site.name', 'street', 'locality', 'country', 'latitude', 'longitude', 'time_zone as timeZone', 'contact', 'phone',
	'access_hours as accessHours', 'directions', 'uplink', 'provider', 'circuit', 'sim', 'apn'
] as const; // prettier-ignore

export async function patternById(knex: Knex, id: string): Promise<StoredPattern | null> {
	const row = await knex('site_pattern').where({ id }).first();
	if (!row) return null;
	const places = await knex('pattern_position')
		.join('profile', 'profile.id', 'profile_id')
		.where({ pattern_id: id })
		.orderBy('ordinal')
		.select('pattern_position.id', 'pattern_position.name', 'pattern_position.role_id as roleId')
		.select('profile_id as profileId', 'profile.name as profileName', 'values', 'tunnel_to as tunnelTo');
	const cables = await knex('pattern_cable').where({ pattern_id: id }).orderBy('id').select('*');
	return {
		id,
		customerId: row.customer_id,
		name: row.name,
		note: row.note,
		edit: row.edit,
		siteValues: row.site_values,
		places,
		cables: row.is_cabled
			? cables.map(({ near_place, near_port, far_place, far_port }) => ({
					near: { positionId: near_place, port: near_port },
					far: far_place === null ? null : { positionId: far_place, port: far_port }
				}))
			: null
	};
}

export type SiteAndPattern = StandingSite & {
	readonly customerId: string;
	readonly patternId: string | null;
	readonly technicianName: string | null;
};

/** Sites with their positions, chosen by a condition on them, in order of name. */
export async function standingSites(
	knex: Knex,
	choose: (query: Knex.QueryBuilder) => Knex.QueryBuilder
): Promise<readonly SiteAndPattern[]> {
	const rows: Record<string, unknown>[] = await choose(
		knex('site')
			.orderBy('site.name')
			.select('site.id', 'site.customer_id as customerId', 'pattern_id as patternId', 'values', 'stamped')
			.select('appointment_at as appointmentAt', 'technician_id as technicianId', ...FACT_COLUMNS)
	);
	const { rows: places } = await knex.raw(
		`select position.id, site_id, name, role_id as "roleId", profile_id as "profileId", values,
			pattern_position_id as "patternPlaceId", stamped,
			(exists (select from run where run.position_id = position.id) or exists (select from binding where binding.position_id = position.id)) as "hasHistory"
		from position where site_id = any (?::uuid[]) order by name`,
		[rows.map(({ id }) => id as string)]
	);
	const bySite = new Map<string, StampedPlace[]>();
	for (const { site_id, values, stamped, ...place } of places) {
		const read = { ...place, values: opened(values), stamped: stamped as Stamp | null };
		bySite.set(site_id, [...(bySite.get(site_id) ?? []), read]);
	}
	return rows.map(
		({
			id,
			customerId,
			patternId,
			values,
			stamped,
			appointmentAt,
			technicianId,
			technicianName,
			...facts
		}) => ({
			id: id as string,
			customerId: customerId as string,
			patternId: patternId as string | null,
			facts: facts as unknown as StandingSite['facts'],
			appointmentAt: (appointmentAt as Date | null)?.getTime() ?? null,
			technicianId: technicianId as string | null,
			technicianName: (technicianName as string | null | undefined) ?? null,
			values: opened(values as Values),
			stamped: stamped as Values | null,
			places: bySite.get(id as string) ?? []
		})
	);
}

export interface Colleague {
	readonly id: string;
	readonly name: string;
}
/** Who can be sent to a customer's sites. */
export const colleagues = async (knex: Knex, customerId: string): Promise<readonly Colleague[]> =>
	(
		await knex.raw('select id, name from limen_colleagues() where customer_id = ? order by name', [
			customerId
		])
	).rows;
