import { database } from '../database';

export interface UnitRow {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly modelName: string;
	readonly makerName: string;
	readonly roleName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly claimedAt: Date;
	readonly reportedVersion: string | null;
	readonly heardAt: Date | null;
	readonly dialledHomeAt: Date | null;
	readonly hostKeyAlgorithm: string | null;
	readonly positionId: string | null;
	readonly positionName: string | null;
	readonly siteId: string | null;
	readonly siteName: string | null;
	readonly runId: string | null;
	/** What its maker's registry says of whose it is, and its words when it refused. */
	readonly ownership: 'asked' | 'confirmed' | 'refused';
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
			'unit.id', 'unit.serial', database().raw('unit.mac::text as mac'), 'model.name as modelName', 'maker.name as makerName',
			'role.name as roleName', 'unit.customer_id as customerId', 'customer.name as customerName', 'unit.claimed_at as claimedAt',
			'unit.reported_version as reportedVersion', 'unit.heard_at as heardAt', 'unit.dialled_home_at as dialledHomeAt',
			'unit.host_key_algorithm as hostKeyAlgorithm', 'binding.position_id as positionId', 'position.name as positionName',
			'site.id as siteId', 'site.name as siteName', 'binding.run_id as runId', 'unit.ownership', 'unit.ownership_words as ownershipWords', 'unit.out_of_service_at as outOfServiceAt',
			'unit.out_of_service_why as outOfServiceWhy', 'successor.id as replacedBy', 'successor.serial as replacedBySerial'
		); // prettier-ignore

export const unitById = async (id: string): Promise<UnitRow | undefined> =>
	(await units().where('unit.id', id))[0];

/** The units that another one took over from, the last first. */
export const predecessorsOf = (unitId: string): Promise<UnitRow[]> =>
	units().where('unit.replaced_by', unitId).orderBy('unit.out_of_service_at', 'desc');

/** Claimed units without a position, newest first. */
export const unboundUnits = (customerId: string | null, limit: number): Promise<UnitRow[]> => {
	const query = units()
		.whereNull('binding.unit_id')
		.whereNull('unit.out_of_service_at')
		.whereNot('unit.ownership', 'refused')
		.orderBy('unit.claimed_at', 'desc')
		.orderBy('unit.serial')
		.limit(limit);
	return customerId ? query.where('unit.customer_id', customerId) : query;
};

export const countUnbound = async (customerId: string | null): Promise<number> => {
	const query = database()('unit')
		.leftJoin('binding', 'binding.unit_id', 'unit.id')
		.whereNull('binding.unit_id')
		.whereNull('unit.out_of_service_at')
		.whereNot('unit.ownership', 'refused');
	if (customerId) query.where('unit.customer_id', customerId);
	return Number((await query.count())[0]!.count);
};

/** Unbound units that could fill a position: same customer, and of a model that can serve there. */
export const unitsFor = (positionId: string, limit = 200): Promise<UnitRow[]> =>
	units()
		.join('position as wanted', (on) => on.on('wanted.customer_id', 'unit.customer_id'))
		.join('model_role', (on) =>
			on.on('model_role.model_id', 'unit.model_id').andOn('model_role.role_id', 'wanted.role_id')
		)
		.where('wanted.id', positionId)
		.whereNull('binding.unit_id')
		.whereNull('unit.out_of_service_at')
		.whereNot('unit.ownership', 'refused')
		.orderBy('unit.claimed_at', 'desc')
		.orderBy('unit.serial')
		.limit(limit);

/** Units by any part of the serial or the MAC address. */
export function findUnits(text: string, customerId: string | null, limit: number): Promise<UnitRow[]> {
	const serial = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
	const digits = text.toLowerCase().replace(/[^0-9a-f]/g, '');
	if (serial.length < 2) return Promise.resolve([]);
	const query = units()
		.where((where) => {
			where.whereLike('unit.serial', `%${serial}%`);
			if (digits.length >= 4) where.orWhereRaw('limen_plain_mac(unit.mac) like ?', [`%${digits}%`]);
		})
		.orderBy('unit.serial')
		.limit(limit);
	return customerId ? query.where('unit.customer_id', customerId) : query;
}

export interface BatchRow {
	readonly id: string;
	readonly takenAt: Date;
	readonly customerId: string;
	readonly customerName: string;
	readonly claimed: number;
	readonly good: number;
	readonly rows: number;
}

export async function recentBatches(customerId: string | null, limit: number): Promise<BatchRow[]> {
	const { rows } = await database().raw(
		`select batch.id, taken_at as "takenAt", customer_id as "customerId", customer.name as "customerName",
			claimed.count as claimed, claimed.count + others.ours as good, claimed.count + others.count as rows
		from (select * from batch where ?::uuid is null or customer_id = ?::uuid order by taken_at desc limit ?) batch
		join customer on customer.id = batch.customer_id
		cross join lateral (select count(*)::int from unit where batch_id = batch.id) claimed
		cross join lateral (
			select count(*)::int, count(*) filter (where verdict = 'already-ours')::int as ours from batch_row where batch_id = batch.id
		) others
		order by taken_at desc`,
		[customerId, customerId, limit]
	);
	return rows;
}
