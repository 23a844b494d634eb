import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	allot,
	contains,
	isFree,
	parsePrefix,
	roomFor,
	take,
	type Prefix,
	type Space
} from '../../../../core/address';
import { writeValue, type Value } from '../../../../core/profile';
import { done, refuse, type Act } from '../../act';
import { database, isRefusal } from '../../database';
import { enterInLedger, type Actor, type LedgerAct } from '../../ledger';
import { notify } from '../../live';
import {
	allotments,
	lengthOf,
	NOT_YOURS,
	placesWanting,
	pools,
	spaceOf,
	valueOf,
	type Place,
	type Pool
} from './pool-space';

/** Waits until nobody else changes what is allotted from a pool. */
const lockPool = async (trx: Knex, id: string): Promise<Pool | undefined> => {
	await trx('pool').where({ id }).forUpdate().first('id');
	return (await pools(trx).where('pool.id', id))[0];
};

/** Gives the next free value to every place that has none; all or nothing when they do not suffice. */
export async function allotMissing(
	poolId: string,
	actor: Actor
): Promise<Act<{ count: number; left: number }>> {
	return database().transaction(async (trx) => {
		const pool = await lockPool(trx, poolId);
		if (!pool) return refuse('There is no such pool.');
		if (!actor.may('plan addresses', pool.customerId)) return refuse(NOT_YOURS);
		const places = await placesWanting(trx, pool);
		if (places.length === 0) return refuse(`Every ${pool.scope} that needs “${pool.field}” has it.`);
		const given = await allotTo(trx, pool, places);
		if (!given.ok)
			return refuse(`${given.problem} Nothing was allotted; make the pool larger or release some.`);
		await notify(trx, 'plan', pool.customerId);
		await enterInLedger(trx, actor, [allotmentsMade(pool, given.done.values)]);
		return done({ count: places.length, left: given.done.left });
	});
}

/** Gives the next free value of a pool that is locked to each place; or to none when they do not suffice. */
async function allotTo(
	trx: Knex,
	pool: Pool,
	places: readonly Place[]
): Promise<Act<{ values: Readonly<Record<string, string | number>>; left: number }>> {
	const space = spaceOf(pool, await allotments(trx, pool.id));
	const result = allot(space, lengthOf(pool), places.length, pool.policy);
	if (result.missing > 0)
		return refuse(
			`There is room for ${result.blocks.length} more in pool “${pool.name}”, and ${places.length} are wanted.`
		);
	const rows = places.map((place, index) => ({
		id: uuid(),
		holder: pool.scope === 'site' ? place.siteId : place.positionId,
		value: valueOf(pool, result.blocks[index]!)
	}));
	await insertAllotments(trx, pool, rows);
	await trx.raw(
		`update ${pool.scope} set values = ${pool.scope}.values || jsonb_build_object(?::text, given.value)
		from jsonb_to_recordset(?::jsonb) as given(holder uuid, value jsonb) where ${pool.scope}.id = given.holder`,
		[pool.field, JSON.stringify(rows)]
	);
	return done({
		values: Object.fromEntries(
			places.map(({ siteName, positionName }, index) => [
				[siteName, positionName].filter(Boolean).join(' '),
				rows[index]!.value
			])
		),
		left: roomFor(result.space, lengthOf(pool))
	});
}

const allotmentsMade = (pool: Pool, values: Readonly<Record<string, string | number>>): LedgerAct => ({
	act: 'allot',
	customerId: pool.customerId,
	subjectKind: 'pool',
	subjectId: pool.id,
	words: `${Object.keys(values).length} values of “${pool.field}” allotted from pool “${pool.name}”.`,
	after: values
});

/**
 * Gives some sites what every pool of their customer has for them, in the transaction of another act.
 * Returns what to enter in the ledger; or why not, and then the transaction must not be kept.
 */
export async function allotAt(
	trx: Knex,
	customerId: string,
	siteIds: readonly string[]
): Promise<Act<readonly LedgerAct[]>> {
	const ids = await trx('pool').where({ customer_id: customerId }).orderBy('id').forUpdate().pluck('id');
	const entries: LedgerAct[] = [];
	for (const pool of ids.length === 0 ? [] : await pools(trx).whereIn('pool.id', ids)) {
		const places = await placesWanting(trx, pool, siteIds);
		if (places.length === 0) continue;
		const given = await allotTo(trx, pool, places);
		if (!given.ok) return given;
		entries.push(allotmentsMade(pool, given.done.values));
	}
	return done(entries);
}

const insertAllotments = (
	trx: Knex,
	pool: Pool,
	rows: readonly { readonly id: string; readonly holder: string | null; readonly value: string | number }[]
) =>
	trx('allotment').insert(
		rows.map(({ id, holder, value }) => ({
			id,
			pool_id: pool.id,
			customer_id: pool.customerId,
			[pool.block === null ? 'number' : 'block']: value,
			[`${pool.scope}_id`]: holder
		}))
	);

/** Notes blocks or numbers as used by something that Limen does not plan: a label for each. */
export async function importUsed(
	poolId: string,
	used: readonly { readonly value: string; readonly label: string }[],
	actor: Actor
): Promise<Act<{ count: number }>> {
	return database().transaction(async (trx) => {
		const pool = await lockPool(trx, poolId);
		if (!pool) return refuse('There is no such pool.');
		if (!actor.may('plan addresses', pool.customerId)) return refuse(NOT_YOURS);
		let space = spaceOf(pool, await allotments(trx, poolId));
		const rows = [];
		for (const [index, { value, label }] of used.entries()) {
			const problem = problemWith(pool, space, value);
			if (problem) return refuse(`Line ${index + 1}: ${problem}. Nothing was taken over.`);
			const block = blockFor(pool, value)!;
			space = take(space, block);
			rows.push({
				id: uuid(),
				pool_id: pool.id,
				customer_id: pool.customerId,
				[pool.block === null ? 'number' : 'block']: valueOf(pool, block),
				label
			});
		}
		if (rows.length === 0) return refuse('There is nothing to take over: one block or number a line.');
		try {
			await trx.batchInsert('allotment', rows, 1000);
		} catch (error) {
			if (!isRefusal(error)) throw error;
			return refuse('One of them is used by another pool of this customer. Nothing was taken over.');
		}
		await notify(trx, 'plan', pool.customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'allot',
				customerId: pool.customerId,
				subjectKind: 'pool',
				subjectId: pool.id,
				words: `${rows.length} values in use noted in pool “${pool.name}”.`
			}
		]);
		return done({ count: rows.length });
	});
}

const blockFor = (pool: Pool, value: string): Prefix | null =>
	pool.block === null
		? /^\d{1,10}$/.test(value)
			? { version: 4, base: BigInt(value), length: 32 }
			: null
		: parsePrefix(value);

/** Why a value cannot be had from a pool; null when it can. */
function problemWith(pool: Pool, space: Space, value: string): string | null {
	const block = blockFor(pool, value);
	if (!block) return `“${value}” is no ${pool.block === null ? 'number' : 'prefix'}`;
	const inside =
		pool.block === null
			? block.base >= BigInt(pool.firstNumber!) && block.base <= BigInt(pool.lastNumber!)
			: contains(parsePrefix(pool.block)!, block);
	if (!inside)
		return `${value} lies outside the pool “${pool.name}” (${pool.block ?? `${pool.firstNumber} to ${pool.lastNumber}`})`;
	return isFree(space, block) ? null : `${value} is in use already in the pool “${pool.name}”`;
}

/** Gives an allotment back. A value that it gave is taken away with it. */
export async function releaseAllotment(id: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const held = await trx('allotment').where({ id }).first();
		const pool = held && (await lockPool(trx, held.pool_id));
		if (!pool) return refuse('This was released already.');
		if (!actor.may('plan addresses', pool.customerId)) return refuse(NOT_YOURS);
		if (pool.scope === 'tunnel' && held.tunnel_id)
			return refuse('A tunnel has these addresses. Take the tunnel out of the plan, and they are free.');
		if ((await trx('allotment').where({ id }).delete()) === 0) return refuse('This was released already.');
		const holder = held.site_id ?? held.position_id;
		if (holder)
			await trx(pool.scope)
				.where({ id: holder })
				.update({ values: trx.raw('values - ?::text', [pool.field]) });
		await notify(trx, 'plan', pool.customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'release allotment',
				customerId: pool.customerId,
				subjectKind: 'pool',
				subjectId: pool.id,
				words: `${held.block ?? held.number} released to pool “${pool.name}”.`
			}
		]);
		return done(undefined);
	});
}

/** A value that is given by hand to a field that a pool gives values to. */
export interface HandGiven {
	readonly customerId: string;
	readonly field: string;
	/** Pools give values at sites and positions only: what is given wider does not concern them. */
	readonly scope: 'customer' | 'site' | 'position';
	/** The customer, the site or the position. */
	readonly holder: string;
	readonly value: Value | null;
}

/**
 * Lets pools follow what was given by hand: the allotment of each place becomes the value given, or goes
 * with it. Returns why not, by the index of what was given. Changes nothing when there is any reason.
 */
export async function followByHand(
	trx: Knex,
	given: readonly HandGiven[]
): Promise<ReadonlyMap<number, string>> {
	const problems = new Map<number, string>();
	const customers = [...new Set(given.map(({ customerId }) => customerId))];
	const ids = await trx('pool').whereIn('customer_id', customers).orderBy('id').forUpdate().pluck('id');
	for (const pool of ids.length === 0 ? [] : await pools(trx).whereIn('pool.id', ids)) {
		const own = given.flatMap((one, index) =>
			one.customerId === pool.customerId && one.field === pool.field && one.scope === pool.scope
				? [{ ...one, index }]
				: []
		);
		if (own.length === 0) continue;
		const holders = own.map(({ holder }) => holder);
		await trx('allotment').where({ pool_id: pool.id }).whereIn(`${pool.scope}_id`, holders).delete();
		let space = spaceOf(pool, await allotments(trx, pool.id));
		const rows = [];
		for (const { holder, value, index } of own) {
			if (value === null) continue;
			const problem = problemWith(pool, space, writeValue(value));
			if (problem) {
				problems.set(index, `${problem}.`);
				continue;
			}
			const block = blockFor(pool, writeValue(value))!;
			space = take(space, block);
			rows.push({ id: uuid(), holder, value: valueOf(pool, block) });
		}
		if (problems.size === 0 && rows.length > 0) await insertAllotments(trx, pool, rows);
	}
	return problems;
}
