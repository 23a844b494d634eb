import type { Knex } from 'knex';
import { isHub, ownNetworks, TOLD_ACROSS, tunnelAddresses } from '../../../core/plan';
import type { Values } from '../../../core/profile';
import { answeringAddress } from '../../../core/proof';
import { Plan } from '../../../core/reachability';
import { opened } from '../profile';

/** A position with tunnels, as pages and errands need it. */
export interface ReachPlace {
	readonly id: string;
	readonly name: string;
	readonly siteId: string;
	/** How it is called: by its site, and by its own name as well where that site has another with tunnels. */
	readonly called: string;
	/** The unit that is bound there. */
	readonly unitId: string;
	readonly isConnected: boolean;
	readonly isHub: boolean;
	/** The address that shows whether it is reached. */
	readonly answers: string;
}
export interface Places {
	readonly plan: Plan;
	/** In order of how they are called. */
	readonly all: readonly ReachPlace[];
	readonly byId: ReadonlyMap<string, ReachPlace>;
}

interface Row extends Omit<ReachPlace, 'isHub' | 'answers'> {
	readonly scoped: { readonly customer: Values; readonly site: Values; readonly position: Values };
	readonly tunnels: readonly { readonly to: string; readonly side: 'near' | 'far'; readonly block: string }[];
}

/** How places are called: of one customer, or of all who are seen. A part of a statement that is given a customer. */
export const CALLED = `called as (
	select position.id, site.name || case when count(ends.id) over (partition by site_id) > 1 then ', ' || position.name else '' end as called
	from position join site on site.id = site_id
	left join (select near_position as id from tunnel union select far_position from tunnel) ends on ends.id = position.id
	where (:customer::uuid is null or position.customer_id = :customer::uuid)
)`;

const told = (alias: string) =>
	`coalesce((select jsonb_object_agg(key, value) from jsonb_each(${alias}.values) where key = any (:told::text[])), '{}')`;

/**
 * The places of a customer that take part: what stands there came through, and it is known where it answers. Or one of
 * them with those to which it has a tunnel, which is enough to read its answers.
 */
export async function placesOf(
	trx: Knex,
	of: { readonly customerId: string } | { readonly positionId: string }
): Promise<Places> {
	const { rows } = await trx.raw(
		`with ends as (
			select near_position as id, far_position as other, 'near' as side, block, customer_id from tunnel
			union all select far_position, near_position, 'far', block, customer_id from tunnel
		), of_each as (
			select id, jsonb_agg(jsonb_build_object('to', other, 'side', side, 'block', block)) as tunnels from ends
			where (:customer::uuid is null or customer_id = :customer) and (:position::uuid is null or :position in (id, other)) group by id
		), ${CALLED}
		select position.id, position.name, site.id as "siteId", called, binding.unit_id as "unitId", tunnels,
			exists (select from unit_connection c where c.unit_id = binding.unit_id and c.ended_at is null) as "isConnected",
			jsonb_build_object('customer', ${told('customer')}, 'site', ${told('site')}, 'position', ${told('position')}) as scoped
		from of_each join called on called.id = of_each.id join position on position.id = of_each.id join site on site.id = position.site_id
		join customer on customer.id = position.customer_id join binding on binding.position_id = position.id
		cross join lateral (select standing from position_standing s where s.position_id = position.id offset 0) stands
		where stands.standing in ('online', 'not-heard')
		order by called, position.id`,
		{
			customer: 'customerId' in of ? of.customerId : null,
			position: 'positionId' in of ? of.positionId : null,
			told: [...TOLD_ACROSS]
		}
	);
	const places = (rows as Row[]).flatMap(({ scoped, tunnels, ...row }) => {
		const given = {
			customer: opened(scoped.customer),
			site: opened(scoped.site),
			position: opened(scoped.position)
		};
		const answers = answeringAddress(ownNetworks({ scoped: given })[0]);
		if (answers === null) return [];
		const place: ReachPlace = { ...row, isHub: isHub({ scoped: given }), answers };
		const leading = tunnels.map(({ to, side, block }) => ({
			to,
			farAddress: tunnelAddresses(block)[side === 'near' ? 'far' : 'near']
		}));
		return [{ place, tunnels: leading }];
	});
	return {
		plan: new Plan(places.map(({ place: { id, isHub }, tunnels }) => ({ id, isHub, tunnels }))),
		all: places.map(({ place }) => place),
		byId: new Map(places.map(({ place }) => [place.id, place]))
	};
}
