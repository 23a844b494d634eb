import { travelOrder, type Day, type DaySite, type DayUnit } from '../../../core/day';
import { database } from '../database';
import { intakeModels } from '../intake';
import { adviceOn } from '../runs';
import { positionsOf } from '../plan';

const MOST_UNITS = 2000;
/** From last night on for a week: who packs the van looks days ahead. */
const BEFORE = '14 hours';
const AFTER = '7 days';

/**
 * A technician's day: the sites where they have an appointment, and those they take along besides, in the
 * order to go there, with the units that could be bound there. Runs as that person and shows what they see.
 */
export async function dayOf(personId: string, also: readonly string[], now: number): Promise<Day> {
	const { rows: sites } = await database().raw(
		`select site.id, site.name, site.customer_id as "customerId", customer.name as "customerName", street, locality, directions,
			contact, phone, access_hours as "accessHours", uplink, time_zone as "timeZone", latitude, longitude, proof_state as proof,
			(extract(epoch from appointment_at) * 1000)::float8 as "appointmentAt"
		from site join customer on customer.id = site.customer_id
		where (technician_id = :person and appointment_at between to_timestamp(:now::float8 / 1000) - interval '${BEFORE}' and to_timestamp(:now::float8 / 1000) + interval '${AFTER}')
			or site.id = any (:also::uuid[])`,
		{ person: personId, now, also: [...also] }
	);
	const ordered: DaySite[] = [];
	for (const { street, locality, ...site } of travelOrder(
		sites as (DaySite & { street: string; locality: string })[]
	))
		ordered.push({
			...site,
			address: [street, locality].filter(Boolean).join(', '),
			positions: (await positionsOf(site.id)).map(({ id, name, roleId, roleName, standing, arrival }) => ({
				id,
				name,
				roleId,
				roleName,
				standing,
				step: arrival?.step ?? null,
				serial: arrival?.serial ?? null,
				advice: arrival ? adviceOn(arrival) : null
			}))
		});
	const [units, models] = await Promise.all([unitsFor(ordered), intakeModels(database())]);
	return {
		personId,
		madeAt: now,
		sites: ordered,
		units,
		models: models.map(({ id, name, serial }) => ({ id, name, serial }))
	};
}

/** The units of the day's customers that are free, or at the day's sites. */
async function unitsFor(sites: readonly DaySite[]): Promise<DayUnit[]> {
	const { rows } = await database().raw(
		`select unit.id, unit.serial, unit.mac::text, model.name as "modelName", unit.customer_id as "customerId",
			array(select role_id from model_role where model_role.model_id = unit.model_id) as roles,
			site.name || ' ' || position.name as "boundAt"
		from unit join model on model.id = unit.model_id left join binding on binding.unit_id = unit.id
		left join position on position.id = binding.position_id left join site on site.id = position.site_id
		where unit.customer_id = any (?::uuid[]) and unit.out_of_service_at is null and unit.ownership <> 'refused'
			and (binding.unit_id is null or site.id = any (?::uuid[]))
		order by unit.claimed_at desc limit ${MOST_UNITS}`,
		[[...new Set(sites.map(({ customerId }) => customerId))], sites.map(({ id }) => id)]
	);
	return rows;
}
