import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import {
	allot,
	contains,
	emptySpace,
	isFree,
	numberSpace,
	parsePrefix,
	printPrefix,
	roomFor,
	stretches,
	take,
	type Prefix,
	type Space,
	type SplitPolicy
} from '../../../core/address';
import { writeValue, type Value } from '../../../core/profile';
import { done, refuse, type Act } from '../act';
import { database, isRefusal } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';

/**
 * Pools of addresses and numbers, and what is allotted from them. What is allotted is given as a value of
 * a field at a site or a position, and stays there until it is released. Whoever may plan addresses for
 * the customer changes them.
 */
export interface Pool {
	readonly id: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly name: string;
	readonly field: string;
	readonly scope: 'site' | 'position';
	readonly block: string | null;
	readonly length: number | null;
	readonly firstNumber: number | null;
	readonly lastNumber: number | null;
	readonly policy: SplitPolicy;
	readonly warnBelow: number;
}

const pools = (knex: Knex) =>
	knex('pool')
		.join('customer', 'customer.id', 'pool.customer_id')
		.orderBy(['customer.name', 'pool.name'])
		.select<Pool[]>(
			'pool.id', 'pool.customer_id as customerId', 'customer.name as customerName', 'pool.name', 'field', 'scope',
			'block', 'length', knex.raw('first_number::float8 as "firstNumber"'), knex.raw('last_number::float8 as "lastNumber"'),
			'policy', 'warn_below as warnBelow'
		); // prettier-ignore

export interface Allotment {
	readonly id: string;
	readonly block: string | null;
	readonly number: number | null;
	readonly siteId: string | null;
	readonly siteName: string | null;
	readonly positionId: string | null;
	readonly positionName: string | null;
	readonly label: string;
	readonly allottedAt: Date;
}

const allotments = (knex: Knex, poolId: string): Promise<Allotment[]> =>
	knex('allotment')
		.leftJoin('position', 'position.id', 'allotment.position_id')
		.joinRaw('left join site on site.id = coalesce(allotment.site_id, position.site_id)')
		.where({ pool_id: poolId })
		.orderByRaw('block::inet, number')
		.select(
			'allotment.id', 'block', knex.raw('number::float8 as number'), 'site.id as siteId', 'site.name as siteName',
			'position.id as positionId', 'position.name as positionName', 'label', 'allotted_at as allottedAt'
		); // prettier-ignore

/** The length that one allotment has; a number is a single address of the space that stands for the range. */
const lengthOf = ({ length }: Pool): number => length ?? 32;

const blockOf = ({ block, number }: Pick<Allotment, 'block' | 'number'>): Prefix =>
	block === null ? { version: 4, base: BigInt(number!), length: 32 } : parsePrefix(block)!;

/** The free space of a pool. */
function spaceOf(pool: Pool, used: readonly Pick<Allotment, 'block' | 'number'>[]): Space {
	const whole =
		pool.block === null
			? numberSpace(pool.firstNumber!, pool.lastNumber!)
			: emptySpace(parsePrefix(pool.block)!);
	return used.reduce((space, one) => take(space, blockOf(one)), whole);
}

/** What an allotment gives as a value. */
const valueOf = (pool: Pool, block: Prefix): string | number =>
	pool.block === null ? Number(block.base) : printPrefix(block);

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

interface Place {
	readonly siteId: string;
	readonly siteName: string;
	readonly positionId: string | null;
	readonly positionName: string | null;
}

/** Sites or positions whose profile asks for the pool's field and which have no value of it, in order of name. */
async function placesWanting(knex: Knex, pool: Pool): Promise<Place[]> {
	const ofPosition = pool.scope === 'position';
	const places = `site.name, site.id${ofPosition ? ', position.name, position.id' : ''}`;
	const { rows } = await knex.raw(
		`with asking as (
			select profile.id from profile where exists (
				select from profile_part join part_revision on part_revision.id = part_revision_id
				where revision_id = released_revision_id
				and jsonb_path_exists(part_revision.fields, '$[*] \\? (@.name == $field)', jsonb_build_object('field', :field::text))
			)
		)
		select distinct on (${places})
			site.id as "siteId", site.name as "siteName",
			${ofPosition ? 'position.id' : 'null'} as "positionId", ${ofPosition ? 'position.name' : 'null'} as "positionName"
		from position join site on site.id = position.site_id
		where position.customer_id = :customer and position.profile_id in (select id from asking)
			and not jsonb_exists(site.values, :field) and not jsonb_exists(position.values, :field)
		order by ${places}`,
		{ field: pool.field, customer: pool.customerId }
	);
	return rows;
}

export interface PoolGiven {
	readonly customerId: string;
	readonly name: string;
	readonly field: string;
	readonly scope: 'site' | 'position';
	readonly range:
		{ readonly block: string; readonly length: number } | { readonly first: number; readonly last: number };
	readonly policy: SplitPolicy;
	readonly warnBelow: number;
}

const NOT_YOURS = 'You may not plan addresses for this customer.';

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
		const space = spaceOf(pool, await allotments(trx, poolId));
		const result = allot(space, lengthOf(pool), places.length, pool.policy);
		if (result.missing > 0)
			return refuse(
				`There is room for ${result.blocks.length} more, and ${places.length} are wanted. Nothing was allotted; make the pool larger or release some.`
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
		await notify(trx, 'plan', pool.customerId);
		await enterInLedger(trx, actor, [
			{
				act: 'allot',
				customerId: pool.customerId,
				subjectKind: 'pool',
				subjectId: pool.id,
				words: `${rows.length} values of “${pool.field}” allotted from pool “${pool.name}”.`,
				after: Object.fromEntries(
					places.map(({ siteName, positionName }, index) => [
						[siteName, positionName].filter(Boolean).join(' '),
						rows[index]!.value
					])
				)
			}
		]);
		return done({ count: rows.length, left: roomFor(result.space, lengthOf(pool)) });
	});
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
