import { database } from '../database';

/** A unit that is out of use, with what is kept of it until when. */
export interface RetiredUnit {
	readonly id: string;
	readonly serial: string;
	readonly mac: string | null;
	readonly makerName: string;
	readonly modelName: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly claimedAt: Date;
	readonly retiredAt: Date;
	readonly retiredBy: string;
	readonly why: string;
	/** A day. */
	readonly destroyOn: string;
}

const retired = () =>
	database()('retired_unit as unit')
		.join('model', 'model.id', 'unit.model_id')
		.join('maker', 'maker.id', 'unit.maker_id')
		.join('customer', 'customer.id', 'unit.customer_id')
		.select<RetiredUnit[]>(
			'unit.id',
			'unit.serial',
			database().raw('unit.mac::text as mac'),
			'maker.name as makerName',
			'model.name as modelName',
			'unit.customer_id as customerId',
			'customer.name as customerName',
			'unit.claimed_at as claimedAt',
			'unit.retired_at as retiredAt',
			'unit.retired_by as retiredBy',
			'unit.out_of_service_why as why',
			database().raw('unit.destroy_on::text as "destroyOn"')
		);

export const RETIRED_AT_ONCE = 100;

/** Retired units, the latest first; with a part of their serial numbers, of a customer, retired before one. */
export async function retiredUnits({
	customerId = null,
	text = '',
	before = null
}: {
	readonly customerId?: string | null;
	readonly text?: string;
	readonly before?: Date | null;
} = {}): Promise<RetiredUnit[]> {
	const printed = text.toUpperCase().replace(/[^0-9A-Z]/g, '');
	const query = retired().orderBy('unit.retired_at', 'desc').orderBy('unit.id').limit(RETIRED_AT_ONCE);
	if (customerId) void query.where('unit.customer_id', customerId);
	if (text) void query.where('unit.serial', 'like', `%${printed || '-'}%`);
	if (before) void query.where('unit.retired_at', '<', before);
	return query;
}

export const retiredById = async (id: string): Promise<RetiredUnit | null> =>
	(await retired().where('unit.id', id))[0] ?? null;

/** What is left of a unit whose term is over. */
export interface Destruction {
	readonly unitId: string;
	readonly serial: string;
	readonly modelName: string;
	readonly customerName: string;
	readonly retiredAt: Date;
	readonly destroyedAt: Date;
	/** How many rows of what. */
	readonly what: Readonly<Record<string, number>>;
}
/** What was destroyed, the latest first. */
export const destructions = (customerId: string | null): Promise<Destruction[]> => {
	const query = database()('destruction')
		.join('model', 'model.id', 'model_id')
		.join('customer', 'customer.id', 'customer_id')
		.orderBy('destroyed_at', 'desc')
		.limit(RETIRED_AT_ONCE)
		.select(
			'unit_id as unitId',
			'serial',
			'model.name as modelName',
			'customer.name as customerName',
			'retired_at as retiredAt',
			'destroyed_at as destroyedAt',
			'what'
		);
	return customerId ? query.where('customer_id', customerId) : query;
};
