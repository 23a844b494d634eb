import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import type { SiteFacts, StampRow } from '../../../../core/plan';
import type { Values } from '../../../../core/profile';
import { TakenBack } from '../../change';
import { sealedValues } from '../../profile';
import { cableAsPattern } from '../cables';
import { tunnelAsPattern } from '../tunnels';
import { applyFollowing, giveValues, poolsRefuse, type GivenValue } from './follow';
import type { StoredPattern } from '../sites/standing-sites';

/** The columns of a site's row, of its facts. */
export const siteRow = ({ timeZone, accessHours, ...facts }: SiteFacts) => ({
	...facts,
	time_zone: timeZone,
	access_hours: accessHours
});

/** Writes the sites of a list that are new, each as its pattern says; their ids. */
export async function insertNew(
	trx: Knex,
	pattern: StoredPattern,
	rows: readonly StampRow[],
	minutes: number | undefined
): Promise<readonly string[]> {
	const fresh = rows.filter(({ verdict }) => verdict === 'new').map((row) => ({ id: uuid(), row }));
	if (fresh.length === 0) return [];
	const { customerId } = pattern;
	const given: GivenValue[] = [];
	const sites = [];
	const positions = [];
	for (const { id, row } of fresh) {
		sites.push({
			id,
			customer_id: customerId,
			...siteRow(row.facts),
			appointment_at: row.appointmentAt === null ? null : new Date(row.appointmentAt),
			technician_id: row.technicianId,
			...(minutes !== undefined && { appointment_minutes: minutes }),
			pattern_id: pattern.id,
			stamped: JSON.stringify(pattern.siteValues),
			is_cabled: pattern.cables !== null,
			values: JSON.stringify(await sealedValues(trx, { ...pattern.siteValues, ...row.siteValues }))
		});
		given.push(...asGiven('site', id, row.name, row.siteValues));
		for (const place of pattern.places) {
			const own = row.positionValues.get(place.name) ?? {};
			const positionId = uuid();
			positions.push({
				id: positionId,
				site_id: id,
				customer_id: customerId,
				name: place.name,
				role_id: place.roleId,
				profile_id: place.profileId,
				pattern_position_id: place.id,
				stamped: JSON.stringify({ profileId: place.profileId, values: place.values }),
				values: JSON.stringify(await sealedValues(trx, { ...place.values, ...own }))
			});
			given.push(...asGiven('position', positionId, `${row.name} ${place.name}`, own));
		}
	}
	await trx.batchInsert('site', sites, 500);
	await trx.batchInsert('position', positions, 500);
	const refusal = await poolsRefuse(trx, customerId, given);
	if (refusal) throw new TakenBack(refusal);
	const siteIds = fresh.map(({ id }) => id);
	await cableAsPattern(trx, pattern.id, siteIds);
	const tunnels = await tunnelAsPattern(trx, pattern.id, siteIds);
	if (!tunnels.ok) throw new TakenBack(tunnels);
	return siteIds;
}

const asGiven = (
	scope: GivenValue['scope'],
	holder: string,
	at: string,
	values: Values
): readonly GivenValue[] =>
	Object.entries(values).map(([field, value]) => ({ scope, holder, at, field, value }));

/** Changes the sites that stand already to what a list says; how many. */
export async function changeStanding(
	trx: Knex,
	pattern: StoredPattern,
	rows: readonly StampRow[]
): Promise<number> {
	const changed = rows.filter(({ verdict }) => verdict === 'differs');
	if (changed.length === 0) return 0;
	await trx.raw(
		`update site set street = s.street, locality = s.locality, country = s.country, latitude = s.latitude, longitude = s.longitude,
			time_zone = s.time_zone, contact = s.contact, phone = s.phone, access_hours = s.access_hours, directions = s.directions,
			uplink = s.uplink, provider = s.provider, circuit = s.circuit, sim = s.sim, apn = s.apn,
			appointment_at = to_timestamp(s.at / 1000), technician_id = s.technician, edit = edit + 1
		from jsonb_to_recordset(?::jsonb) as s(id uuid, street text, locality text, country text, latitude float8, longitude float8,
			time_zone text, contact text, phone text, access_hours text, directions text, uplink text, provider text, circuit text,
			sim text, apn text, at float8, technician uuid) where site.id = s.id`,
		[
			JSON.stringify(
				changed.map((row) => ({
					id: row.siteId,
					...siteRow(row.facts),
					at: row.appointmentAt,
					technician: row.technicianId
				}))
			)
		]
	);
	const refusal = await applyFollowing(
		trx,
		pattern,
		pattern.id,
		changed.map((row) => ({ siteId: row.siteId!, siteName: row.name, following: row.following! }))
	);
	if (refusal) throw new TakenBack(refusal);
	const positions = await trx('position')
		.whereIn(
			'site_id',
			changed.map(({ siteId }) => siteId!)
		)
		.select('id', 'site_id', 'name');
	const idOf = new Map(
		positions.map((row) => [`${row.site_id} ${row.name.toLowerCase()}`, row.id as string])
	);
	const given = changed.flatMap((row) => [
		...asGiven('site', row.siteId!, row.name, row.siteValues),
		...[...row.positionValues].flatMap(([name, values]) => {
			const id = idOf.get(`${row.siteId} ${name.toLowerCase()}`);
			return id ? asGiven('position', id, `${row.name} ${name}`, values) : [];
		})
	]);
	await giveValues(trx, given);
	const pools = await poolsRefuse(trx, pattern.customerId, given);
	if (pools) throw new TakenBack(pools);
	return changed.length;
}
