import { kilometresBetween } from '../../../core/day';
import { pairingWarnings } from '../../../core/onboarding';
import type { Knex } from 'knex';
import { database } from '../database';

export interface Pair {
	readonly unitId: string;
	readonly positionId: string;
}
const pairKey = ({ unitId, positionId }: Pair): string => `${unitId} ${positionId}`;

/** A unit, and the position that it is to be bound to. */
export interface Pairing extends Pair {
	readonly serial: string;
	/** The position in words. */
	readonly place: string;
	/** A rule wants it so. */
	readonly byRule: boolean;
}

/**
 * What speaks against each pair of a unit and a position, by `pairKey`; pairs that nothing speaks against
 * are left out. Looks only at what whoever asks may see.
 */
async function warningsFor(
	pairs: readonly Pair[],
	knex: Knex = database()
): Promise<ReadonlyMap<string, readonly string[]>> {
	if (pairs.length === 0) return new Map();
	const { rows } = await knex.raw(
		`select wanted.unit_id as "unitId", wanted.position_id as "positionId", site.name as "siteName", site.latitude, site.longitude,
			case when shipped.id <> site.id then shipped.name end as "shippedTo", host(called.address) as address,
			other.name as "otherName", other.latitude as "otherLatitude", other.longitude as "otherLongitude"
		from unnest(?::uuid[], ?::uuid[]) as wanted(unit_id, position_id)
		join unit on unit.id = wanted.unit_id join position on position.id = wanted.position_id join site on site.id = position.site_id
		left join site shipped on shipped.id = unit.shipped_site_id
		cross join lateral (
			select coalesce(unit.heard_address, (
				select address from caller where caller.serial = unit.serial and caller.customer_id = unit.customer_id order by last_at desc limit 1
			)) as address
		) called
		-- a network says something only when all that calls from it is at one site
		left join lateral (
			select min(p.site_id::text)::uuid as site_id from unit u join binding on binding.unit_id = u.id join position p on p.id = binding.position_id
			where u.customer_id = unit.customer_id and u.heard_address is not null
				and limen_network(u.heard_address) = limen_network(called.address) and u.id <> unit.id
			having count(distinct p.site_id) = 1
		) neighbours on true
		left join site other on other.id = neighbours.site_id and other.id <> site.id`,
		[pairs.map(({ unitId }) => unitId), pairs.map(({ positionId }) => positionId)]
	);
	return new Map(
		(rows as Row[]).flatMap(({ unitId, positionId, siteName, shippedTo, address, otherName, ...where }) => {
			const heardAt =
				otherName === null || address === null
					? null
					: {
							address,
							siteName: otherName,
							kilometres: kilometresBetween(where, {
								latitude: where.otherLatitude,
								longitude: where.otherLongitude
							})
						};
			const warnings = pairingWarnings({ siteName, shippedTo, heardAt });
			return warnings.length === 0 ? [] : [[pairKey({ unitId, positionId }), warnings] as const];
		})
	);
}

/** The same things, each with what speaks against the pair that it is about; `pairOf` says null of those that are about none. */
export async function withWarnings<Thing>(
	things: readonly Thing[],
	pairOf: (thing: Thing) => Pair | null
): Promise<readonly (Thing & { readonly warnings: readonly string[] })[]> {
	const pairs = things.map(pairOf);
	const warnings = await warningsFor(pairs.filter((pair) => pair !== null));
	return things.map((thing, index) => {
		const pair = pairs[index];
		return { ...thing, warnings: (pair && warnings.get(pairKey(pair))) ?? [] };
	});
}

interface Row extends Pair {
	readonly siteName: string;
	readonly latitude: number | null;
	readonly longitude: number | null;
	readonly shippedTo: string | null;
	readonly address: string | null;
	readonly otherName: string | null;
	readonly otherLatitude: number | null;
	readonly otherLongitude: number | null;
}

/** The same for one pair. */
export const warningsOf = async (pair: Pair, knex?: Knex): Promise<readonly string[]> =>
	(await warningsFor([pair], knex)).get(pairKey(pair)) ?? [];
