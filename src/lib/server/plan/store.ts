import type { PositionStanding, SiteStanding } from '../../../core/plan';
import type { UplinkKind } from '../../../core/profile';
import { database } from '../database';
import { arrivalsAt, type Arrival } from '../runs';

export interface CustomerRow {
	readonly id: string;
	readonly name: string;
}
export const customers = (): Promise<CustomerRow[]> =>
	database()('customer').orderBy('name').select('id', 'name');

export interface SiteRow {
	readonly id: string;
	readonly name: string;
	readonly street: string;
	readonly locality: string;
	readonly latitude: number | null;
	readonly longitude: number | null;
	readonly timeZone: string;
	readonly contact: string;
	readonly uplink: UplinkKind;
	readonly appointmentAt: Date | null;
	readonly technicianId: string | null;
	readonly patternId: string | null;
	readonly customerId: string;
	readonly customerName: string;
}

const SITE_COLUMNS = [
	'site.id', 'site.name', 'street', 'locality', 'latitude', 'longitude', 'time_zone as timeZone', 'contact', 'uplink',
	'appointment_at as appointmentAt', 'technician_id as technicianId', 'pattern_id as patternId', 'customer_id as customerId', 'customer.name as customerName'
] as const; // prettier-ignore

const sites = () =>
	database()('site')
		.join('customer', 'customer.id', 'customer_id')
		.select<SiteRow[]>(...SITE_COLUMNS);

export const siteById = async (id: string): Promise<SiteRow | undefined> =>
	(await sites().where('site.id', id))[0];

/** Sites by any part of their name or place. */
export const findSites = (text: string, customerId: string | null, limit: number): Promise<SiteRow[]> => {
	const like = `%${text.trim().replace(/[\\%_]/g, '\\$&')}%`;
	const query = sites()
		.where((where) =>
			where.whereILike('site.name', like).orWhereILike('locality', like).orWhereILike('street', like)
		)
		.orderBy('site.name')
		.limit(limit);
	return customerId ? query.where('customer_id', customerId) : query;
};

/** So many sites are shown around one on its map. */
const MOST_NEAR = 40;

/** The sites of the same customer that are nearest to one, itself first, each with how it stands; none when its place is not known. */
export async function sitesNear(
	site: SiteRow
): Promise<
	{ id: string; name: string; latitude: number; longitude: number; standing: SiteStanding['word'] }[]
> {
	const { latitude, longitude } = site;
	if (latitude === null || longitude === null) return [];
	const rows = await sites()
		.where('customer_id', site.customerId)
		.whereNotNull('latitude')
		.whereNotNull('longitude')
		// Degrees east are shorter the farther from the equator; across the date line they go on
		.orderByRaw(
			`power(latitude - ?, 2) + power((mod((longitude - ? + 540)::numeric, 360)::float8 - 180) * cos(radians(?)), 2)`,
			[latitude, longitude, latitude]
		)
		.limit(MOST_NEAR);
	const words = await siteStandings(rows.map(({ id }) => id));
	return rows.map((one) => ({
		id: one.id,
		name: one.name,
		latitude: one.latitude!,
		longitude: one.longitude!,
		standing: words.get(one.id)!
	}));
}

/** How sites stand, by their ids. */
async function siteStandings(siteIds: readonly string[]): Promise<ReadonlyMap<string, SiteStanding['word']>> {
	const rows: { id: string; word: SiteStanding['word'] }[] = await database()('site_standing')
		.whereIn('site_id', [...siteIds])
		.select('site_id as id', 'word');
	return new Map(rows.map(({ id, word }) => [id, word]));
}

/** The site at which a position is; null when there is none. */
export const siteOfPosition = async (positionId: string): Promise<string | null> =>
	(await database()('position').where({ id: positionId }).first('site_id'))?.site_id ?? null;

export interface PositionRow {
	readonly id: string;
	readonly name: string;
	readonly roleId: string;
	readonly roleName: string;
	readonly profileId: string;
	readonly profileName: string;
	readonly standing: PositionStanding;
	readonly arrival: Arrival | null;
}

/** The positions of a site with what is bound to each. */
export async function positionsOf(siteId: string): Promise<PositionRow[]> {
	const [rows, present] = await Promise.all([
		database()('position')
			.join('role', 'role.id', 'position.role_id')
			.join('profile', 'profile.id', 'position.profile_id')
			// Each on its own: by a join how all others stand would be worked out first
			.joinRaw(
				'cross join lateral (select standing from position_standing s where s.position_id = position.id offset 0) stands'
			)
			.where('position.site_id', siteId)
			.orderBy('position.name')
			.select(
				'stands.standing',
				'position.id',
				'position.name',
				'position.role_id as roleId',
				'role.name as roleName',
				'profile.id as profileId',
				'profile.name as profileName'
			),
		arrivalsAt(siteId)
	]);
	const byPosition = new Map(present.map((arrival) => [arrival.positionId, arrival]));
	return rows.map((row) => ({ ...row, arrival: byPosition.get(row.id) ?? null }));
}

/** Open positions that a unit would suit: where it was shipped first, then the nearest appointment. */
export async function openPositionsFor(
	unitId: string,
	limit = 200
): Promise<{ id: string; name: string; siteId: string; siteName: string; appointmentAt: Date | null }[]> {
	const { rows } = await database().raw(
		`select position.id, position.name, site.id as "siteId", site.name as "siteName", appointment_at as "appointmentAt"
		from unit join model_role on model_role.model_id = unit.model_id
		join position on position.customer_id = unit.customer_id and position.role_id = model_role.role_id
		join site on site.id = position.site_id left join binding on binding.position_id = position.id
		where unit.id = ? and binding.position_id is null
		order by (site.id = unit.shipped_site_id) desc nulls last, appointment_at nulls last, site.name, position.name limit ?`,
		[unitId, limit]
	);
	return rows;
}

/** Some positions that follow a profile, to look at what they get; those with a unit first. */
export const positionsOfProfile = (
	profileId: string,
	customerId: string | null,
	limit = 60
): Promise<{ id: string; name: string; siteName: string; customerId: string }[]> =>
	database()('position')
		.join('site', 'site.id', 'site_id')
		.leftJoin('binding', 'binding.position_id', 'position.id')
		.where('position.profile_id', profileId)
		.modify((query) => void (customerId && query.where('position.customer_id', customerId)))
		.orderByRaw('binding.position_id is null, site.name, position.name')
		.limit(limit)
		.select('position.id', 'position.name', 'site.name as siteName', 'position.customer_id as customerId');

/** Other positions that follow a profile at the same customer, for comparing with; the nearest by name. */
export const positionsFollowing = (
	profileId: string,
	positionId: string,
	limit = 50
): Promise<{ id: string; name: string; siteName: string }[]> =>
	database()('position')
		.join('site', 'site.id', 'site_id')
		.join('position as own', (on) =>
			on.onVal('own.id', positionId).andOn('own.customer_id', 'position.customer_id')
		)
		.where('position.profile_id', profileId)
		.whereNot('position.id', positionId)
		.orderBy(['site.name', 'position.name'])
		.limit(limit)
		.select('position.id', 'position.name', 'site.name as siteName');
