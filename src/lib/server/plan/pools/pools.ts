import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { printPrefix, roomFor, stretches, type SplitPolicy } from '../../../../core/address';
import { done, refuse, type Act } from '../../act';
import { database, isRefusal } from '../../database';
import { enterInLedger, type Actor } from '../../ledger';
import { notify } from '../../live';
import {
	allotments,
	lengthOf,
	NOT_YOURS,
	placesWanting,
	pools,
	spaceOf,
	type Pool,
	type PoolScope
} from './pool-space';

export interface PoolState extends Pool {
	readonly used: number;
	readonly left: number;
	/** Places that follow the pool's field and have no value yet. */
	readonly wanting: number;
}

/** Every pool with how full it is. */
export async function poolStates(customerId: string | null): Promise<PoolState[]> {
	const query = pools(database());
	if (customerId) query.where('pool.customer_id', customerId);
	const all = await query;
	return Promise.all(
		all.map(async (pool) => {
			const used = await allotments(database(), pool.id);
			return {
				...pool,
				used: used.length,
				left: roomFor(spaceOf(pool, used), lengthOf(pool)),
				wanting: (await placesWanting(database(), pool)).length
			};
		})
	);
}

/** A pool that will soon have nothing left to give. */
export interface TightPool {
	readonly id: string;
	readonly name: string;
	readonly customerName: string;
	readonly left: number;
	readonly wanting: number;
}

/** Pools with less left than their planner wants to be told of, or than the places that still want some: told before it hurts. */
export const tightPools = async (customerId: string | null): Promise<TightPool[]> =>
	(await poolStates(customerId)).filter(({ left, wanting, warnBelow }) => left < warnBelow || left < wanting);

/** One pool with its map: the stretches that are used, by whom, and those that are free. */
export async function poolMap(id: string) {
	const pool = (await pools(database()).where('pool.id', id))[0];
	if (!pool) return undefined;
	const used = await allotments(database(), id);
	const space = spaceOf(pool, used);
	return {
		pool,
		allotments: used,
		left: roomFor(space, lengthOf(pool)),
		free: stretches(space)
			.filter(({ state }) => state === 'free')
			.map(({ block }) =>
				pool.block === null
					? { first: Number(block.base), last: Number(block.base) + 2 ** (32 - block.length) - 1 }
					: printPrefix(block)
			),
		wanting: await placesWanting(database(), pool)
	};
}

export interface PoolGiven {
	readonly customerId: string;
	readonly name: string;
	readonly field: string;
	readonly scope: PoolScope;
	readonly range:
		{ readonly block: string; readonly length: number } | { readonly first: number; readonly last: number };
	readonly policy: SplitPolicy;
	readonly warnBelow: number;
}

/** Makes a pool, and takes over as used what sites and positions have already, as far as it lies in it. */
export async function createPool(
	given: PoolGiven,
	actor: Actor
): Promise<Act<{ id: string; takenOver: number }>> {
	if (!actor.may('plan addresses', given.customerId)) return refuse(NOT_YOURS);
	const id = uuid();
	const { range } = given;
	try {
		return await database().transaction(async (trx) => {
			await trx('pool').insert({
				id,
				customer_id: given.customerId,
				name: given.name,
				field: given.field,
				scope: given.scope,
				...('block' in range
					? { block: range.block, length: range.length }
					: { first_number: range.first, last_number: range.last }),
				policy: given.policy,
				warn_below: given.warnBelow
			});
			const pool = (await pools(trx).where('pool.id', id))[0];
			// Row-level security may hide a customer that was named
			if (!pool) throw new NoCustomer();
			const takenOver = await takeOver(trx, pool);
			await notify(trx, 'plan', given.customerId);
			await enterInLedger(trx, actor, [
				{
					act: 'make pool',
					customerId: given.customerId,
					subjectKind: 'pool',
					subjectId: id,
					words: `Pool “${given.name}” made; ${takenOver} values in use were taken over.`
				}
			]);
			return done({ id, takenOver });
		});
	} catch (error) {
		if (error instanceof NoCustomer) return refuse('There is no such customer.');
		if (!isRefusal(error)) throw error;
		const WORDS: Record<string, string> = {
			pool_field: `Another pool gives values to “${given.field}” already.`,
			pool_name: `There is a pool called “${given.name}” already.`,
			pool_of_tunnels: 'A tunnel has a block of two addresses: a /31, or a /127 in IPv6.',
			pools_apart: 'It overlaps another pool of this customer.',
			allotments_apart: 'Values in use overlap each other or another pool’s; put them right first.',
			allotment_number: 'A number in use is given twice; put that right first.'
		};
		return refuse(WORDS[error.constraint ?? ''] ?? 'There is no such customer, or the range makes no sense.');
	}
}
class NoCustomer extends Error {}

/** Values of the pool's field that are given already and lie in the pool. */
async function takeOver(trx: Knex, pool: Pool): Promise<number> {
	if (pool.scope === 'tunnel') return 0;
	const inRange =
		pool.block === null
			? `given ~ '^[0-9]{1,10}$' and given::bigint between :first and :last`
			: `given ~ '^[0-9a-fA-F.:]+/[0-9]+$' and given::inet <<= :block::inet`;
	const { rowCount } = await trx.raw(
		`insert into allotment (id, pool_id, customer_id, ${pool.block === null ? 'number' : 'block'}, ${pool.scope}_id)
		select gen_random_uuid(), :pool, :customer, given::${pool.block === null ? 'bigint' : 'cidr'}, id
		from (select id, values->>:field as given from ${pool.scope} where customer_id = :customer and jsonb_exists(values, :field)) present
		where ${inRange}`,
		{
			pool: pool.id,
			customer: pool.customerId,
			field: pool.field,
			block: pool.block,
			first: pool.firstNumber,
			last: pool.lastNumber
		}
	);
	return rowCount as number;
}
