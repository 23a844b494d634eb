import type { Knex } from 'knex';
import {
	emptySpace,
	numberSpace,
	parsePrefix,
	printPrefix,
	take,
	type Prefix,
	type Space,
	type SplitPolicy
} from '../../../../core/address';

/** What each allotment is given to. */
export const POOL_SCOPES = ['site', 'position', 'tunnel'] as const;
export type PoolScope = (typeof POOL_SCOPES)[number];

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
	readonly scope: PoolScope;
	readonly block: string | null;
	readonly length: number | null;
	readonly firstNumber: number | null;
	readonly lastNumber: number | null;
	readonly policy: SplitPolicy;
	readonly warnBelow: number;
}

export const pools = (knex: Knex) =>
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
	readonly tunnelName: string | null;
	readonly label: string;
	readonly allottedAt: Date;
}

export const allotments = (knex: Knex, poolId: string): Promise<Allotment[]> =>
	knex('allotment')
		.leftJoin('tunnel', 'tunnel.id', 'allotment.tunnel_id')
		.joinRaw('left join position on position.id = coalesce(allotment.position_id, tunnel.near_position)')
		.joinRaw('left join site on site.id = coalesce(allotment.site_id, position.site_id)')
		.where({ pool_id: poolId })
		.orderByRaw('allotment.block::inet, number')
		.select(
			'allotment.id', 'allotment.block', knex.raw('number::float8 as number'), 'site.id as siteId', 'site.name as siteName',
			'position.id as positionId', 'position.name as positionName', 'tunnel.name as tunnelName', 'label', 'allotted_at as allottedAt'
		); // prettier-ignore

/** The length that one allotment has; a number is a single address of the space that stands for the range. */
export const lengthOf = ({ length }: Pool): number => length ?? 32;

const blockOf = ({ block, number }: Pick<Allotment, 'block' | 'number'>): Prefix =>
	block === null ? { version: 4, base: BigInt(number!), length: 32 } : parsePrefix(block)!;

/** The free space of a pool. */
export function spaceOf(pool: Pool, used: readonly Pick<Allotment, 'block' | 'number'>[]): Space {
	const whole =
		pool.block === null
			? numberSpace(pool.firstNumber!, pool.lastNumber!)
			: emptySpace(parsePrefix(pool.block)!);
	return used.reduce((space, one) => take(space, blockOf(one)), whole);
}

/** What an allotment gives as a value. */
export const valueOf = (pool: Pool, block: Prefix): string | number =>
	pool.block === null ? Number(block.base) : printPrefix(block);

export interface Place {
	readonly siteId: string;
	readonly siteName: string;
	readonly positionId: string | null;
	readonly positionName: string | null;
}

/** Sites or positions, at some sites or all, whose profile asks for the pool's field and which have no value of it, in order of name. */
export async function placesWanting(
	knex: Knex,
	pool: Pool,
	siteIds: readonly string[] | null = null
): Promise<Place[]> {
	// Tunnels are given theirs when they are planned
	if (pool.scope === 'tunnel') return [];
	const ofPosition = pool.scope === 'position';
	const places = `site.name, site.id${ofPosition ? ', position.name, position.id' : ''}`;
	const { rows } = await knex.raw(
		`with asking as (
			select profile.id, part.purpose from profile
			join profile_part on revision_id = released_revision_id
			join part_revision on part_revision.id = part_revision_id join part on part.id = part_revision.part_id
			where jsonb_path_exists(part_revision.fields, '$[*] \\? (@.name == $field)', jsonb_build_object('field', :field::text))
		)
		select distinct on (${places})
			site.id as "siteId", site.name as "siteName",
			${ofPosition ? 'position.id' : 'null'} as "positionId", ${ofPosition ? 'position.name' : 'null'} as "positionName"
		from position join site on site.id = position.site_id
		where position.customer_id = :customer and exists (
				select from asking where asking.id = position.profile_id
				-- A part for another kind of uplink asks for nothing at this site
				and (purpose is null or purpose not like 'uplink-%' or purpose = 'uplink-' || site.uplink)
			)
			and (:sites::uuid[] is null or site.id = any (:sites::uuid[]))
			and not jsonb_exists(site.values, :field) and not jsonb_exists(position.values, :field)
		order by ${places}`,
		{ field: pool.field, customer: pool.customerId, sites: siteIds && [...siteIds] }
	);
	return rows;
}

export const NOT_YOURS = 'You may not plan addresses for this customer.';
