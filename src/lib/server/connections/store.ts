import { database } from '../database';

/** How a unit is connected, or when it last was. */
export interface Connection {
	readonly way: string;
	readonly address: string | null;
	readonly since: Date;
	readonly endedAt: Date | null;
	readonly whyEnded: string | null;
	/** In milliseconds. */
	readonly roundTrip: number | null;
}

/** The last connection of a unit, whichever process holds it; undefined when it never had one. */
export const connectionOf = (unitId: string): Promise<Connection | undefined> =>
	database()('unit_connection')
		.where({ unit_id: unitId })
		.first(
			'way',
			database().raw('host(address) as address'),
			'since',
			'ended_at as endedAt',
			'why_ended as whyEnded',
			'round_trip_ms as roundTrip'
		);

/** Known units that dialled home and could not be talked to, the last first. */
export interface Unreachable {
	readonly id: string;
	readonly serial: string;
	readonly words: string;
	readonly at: Date;
}
export function unreachableUnits(customerId: string | null, limit: number): Promise<Unreachable[]> {
	const query = database()('unit')
		.whereNotNull('reach_problem')
		.whereNull('out_of_service_at')
		.orderBy('reach_problem_at', 'desc')
		.limit(limit)
		.select('id', 'serial', 'reach_problem as words', 'reach_problem_at as at');
	return customerId ? query.where({ customer_id: customerId }) : query;
}
