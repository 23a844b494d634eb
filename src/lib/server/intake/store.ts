import { database } from '../database';

/** What its maker's registry says of whose a unit is. */
export type Ownership = 'asked' | 'confirmed' | 'refused' | 'released';

export interface UnitRow {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly modelId: string;
	readonly modelName: string;
	readonly makerName: string;
	readonly roleName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly claimedAt: Date;
	readonly reportedVersion: string | null;
	readonly heardAt: Date | null;
	readonly dialledHomeAt: Date | null;
	/** Fingerprints of the keys by which it is known when it dials home. */
	readonly hostKeys: readonly string[];
	/** Why it could not be talked to when it last dialled home; null when it could. */
	readonly reachProblem: string | null;
	readonly reachProblemAt: Date | null;
	readonly positionId: string | null;
	readonly positionName: string | null;
	readonly siteId: string | null;
	readonly siteName: string | null;
	readonly runId: string | null;
	/** What its maker's registry says of whose it is, and its words when it refused. */
	readonly ownership: Ownership;
	readonly ownershipWords: string;
	readonly outOfServiceAt: Date | null;
	readonly outOfServiceWhy: string | null;
	/** The unit that took over where it was. */
	readonly replacedBy: string | null;
	readonly replacedBySerial: string | null;
}

const units = () =>
	database()('unit')
		.join('model', 'model.id', 'unit.model_id')
		.join('maker', 'maker.id', 'unit.maker_id')
		.join('role', 'role.id', 'model.role_id')
		.join('customer', 'customer.id', 'unit.customer_id')
		.leftJoin('binding', 'binding.unit_id', 'unit.id')
		.leftJoin('position', 'position.id', 'binding.position_id')
		.leftJoin('site', 'site.id', 'position.site_id')
		.leftJoin('unit as successor', 'successor.id', 'unit.replaced_by')
		.select<UnitRow[]>(
			'unit.id', 'unit.serial', database().raw('unit.mac::text as mac'), 'unit.model_id as modelId', 'model.name as modelName', 'maker.name as makerName',
			'role.name as roleName', 'unit.customer_id as customerId', 'customer.name as customerName', 'unit.claimed_at as claimedAt',
			'unit.reported_version as reportedVersion', 'unit.heard_at as heardAt', 'unit.dialled_home_at as dialledHomeAt',
			'unit.reach_problem as reachProblem', 'unit.reach_problem_at as reachProblemAt',
			database().raw(`array(select 'SHA256:' || rtrim(encode(sha256(decode(key, 'base64')), 'base64'), '=') from unit_host_key where unit_id = unit.id order by 1) as "hostKeys"`),
			'binding.position_id as positionId', 'position.name as positionName',
			'site.id as siteId', 'site.name as siteName', 'binding.run_id as runId', 'unit.ownership', 'unit.ownership_words as ownershipWords', 'unit.out_of_service_at as outOfServiceAt',
			'unit.out_of_service_why as outOfServiceWhy', 'successor.id as replacedBy', 'successor.serial as replacedBySerial'
		); // prettier-ignore

export const unitById = async (id: string): Promise<UnitRow | undefined> =>
	(await units().where('unit.id', id))[0];

/** The units that another one took over from, the last first. */
export const predecessorsOf = (unitId: string): Promise<UnitRow[]> =>
	units().where('unit.replaced_by', unitId).orderBy('unit.out_of_service_at', 'desc');

/** Claimed units without a position, newest first. */
export const unboundUnits = (customerId: string | null, limit: number): Promise<UnitRow[]> =>
	// Chosen first, in the order of their index, and dressed after
	units()
		.whereRaw(
			`unit.id = any (array(
				select id from unit where out_of_service_at is null and ownership <> 'refused' and (:customer::uuid is null or customer_id = :customer::uuid)
					and not exists (select from binding where binding.unit_id = unit.id)
				order by claimed_at desc, serial limit :limit
			))`,
			{ customer: customerId, limit }
		)
		.orderBy('unit.claimed_at', 'desc')
		.orderBy('unit.serial');

export const countUnbound = async (customerId: string | null): Promise<number> => {
	const query = database()('unit')
		.leftJoin('binding', 'binding.unit_id', 'unit.id')
		.whereNull('binding.unit_id')
		.whereNull('unit.out_of_service_at')
		.whereNot('unit.ownership', 'refused');
	if (customerId) query.where('unit.customer_id', customerId);
	return Number((await query.count())[0]!.count);
};

/**
 * Unbound units that could fill a position: same customer, and of a model that can serve there; the one that is meant for it by
 * a replacement first.
 */
export const unitsFor = (
	positionId: string,
	limit = 200
): Promise<(UnitRow & { readonly isMeant: boolean })[]> =>
	// Chosen first, and dressed after
	units()
		.select(database().raw(`meant.unit_id is not null as "isMeant"`))
		.leftJoin('replacement_place as meant', (on) =>
			on.on('meant.unit_id', 'unit.id').andOnVal('meant.position_id', positionId)
		)
		.whereRaw(
			`unit.id = any (array(
				select free.id from position wanted join unit free on free.customer_id = wanted.customer_id
				join model_role on model_role.model_id = free.model_id and model_role.role_id = wanted.role_id
				left join replacement_place meant on meant.unit_id = free.id and meant.position_id = wanted.id
				where wanted.id = :positionId and free.out_of_service_at is null and free.ownership <> 'refused'
					and not exists (select from binding where binding.unit_id = free.id)
				order by meant.unit_id is null, free.claimed_at desc, free.serial limit :limit
			))`,
			{ positionId, limit }
		)
		.orderByRaw('meant.unit_id is null')
		.orderBy('unit.claimed_at', 'desc')
		.orderBy('unit.serial');

/** A unit as whoever looks for one needs it: few tables, since it is asked for at every scan. */
export interface FoundUnit {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly modelName: string;
	readonly positionName: string | null;
	readonly siteName: string | null;
}
const found = (
	where: string
) => `select unit.id, unit.serial, unit.mac::text as mac, model.name as "modelName",
		position.name as "positionName", site.name as "siteName"
	from unit join model on model.id = unit.model_id left join binding on binding.unit_id = unit.id
	left join position on position.id = binding.position_id left join site on site.id = position.site_id
	where ${where}`;
const OF_CUSTOMER = `(:customer::uuid is null or unit.customer_id = :customer::uuid)`;

/** Units by their whole serial number: several makers may have the same. */
export const unitsBySerial = async (serial: string, customerId: string | null): Promise<FoundUnit[]> =>
	(
		await database().raw(found(`unit.serial = :serial and ${OF_CUSTOMER}`), {
			serial,
			customer: customerId
		})
	).rows;

/** Of those that fit, so many are ranked: the rest is told apart by typing more. */
const MOST_RANKED = 200;

/** Units by any part of the serial or the MAC address: what is meant exactly first, then what ends so, as people read labels aloud. */
export async function findUnits(
	text: string,
	customerId: string | null,
	limit: number
): Promise<FoundUnit[]> {
	const serial = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
	const digits = text.toLowerCase().replace(/[^0-9a-f]/g, '');
	if (serial.length < 2) return [];
	const { rows } = await database().raw(
		`${found('unit.id = any (array(select limen_units_like(:serial, :mac, :customer, :most)))')}
		order by unit.serial = :whole desc, unit.serial like :ending desc, unit.serial limit :limit`,
		{
			serial: `%${serial}%`,
			mac: digits.length >= 4 ? `%${digits}%` : null,
			customer: customerId,
			most: MOST_RANKED,
			whole: serial,
			ending: `%${serial}`,
			limit
		}
	);
	return rows;
}
