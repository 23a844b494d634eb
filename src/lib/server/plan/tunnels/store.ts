import type { Knex } from 'knex';
import { OUTSIDE_FIELD, TOLD_ACROSS, tunnelAddresses } from '../../../../core/plan';
import { database } from '../../database';

/**
 * Tunnels between positions. Whoever may plan addresses for the customer makes and removes them; each has two addresses
 * from the customer's pool of tunnels, and a secret of its own that nobody types.
 */
export interface TunnelRow {
	readonly id: string;
	readonly name: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly near: TunnelPlace;
	readonly far: TunnelPlace;
	readonly secretId: string;
	/** Since when it has its secret. */
	readonly renewedAt: Date | null;
	/** Both its ends are online: the secret of such a one is renewed by a rollout. */
	readonly runs: boolean;
}
export interface TunnelPlace {
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly address: string;
	/** Whether it is known where it is reached from outside. */
	readonly isKnownOutside: boolean;
}

/** Tunnels by customer and name: of one customer, of one site, or all. */
export async function tunnels({
	customerId = null,
	siteId = null
}: { readonly customerId?: string | null; readonly siteId?: string | null } = {}): Promise<TunnelRow[]> {
	const end = (side: 'near' | 'far') =>
		`jsonb_build_object('positionId', ${side}.id, 'positionName', ${side}.name, 'siteId', ${side}_site.id, 'siteName', ${side}_site.name,
			'isKnownOutside', coalesce(${side}.values->>:outside, ${side}_site.values->>:outside, customer.values->>:outside, '') <> '') as ${side}`;
	const { rows } = await database().raw(
		`select tunnel.id, tunnel.name, tunnel.block, customer.id as "customerId", customer.name as "customerName",
			secret.id as "secretId", secret.since as "renewedAt", ${end('near')}, ${end('far')},
			(select count(*) = 2 from binding join run on run.id = run_id and outcome = 'through' where binding.position_id in (near_position, far_position)) as runs
		from tunnel join customer on customer.id = tunnel.customer_id join secret on secret.tunnel_id = tunnel.id
		join position near on near.id = near_position join site near_site on near_site.id = near.site_id
		join position far on far.id = far_position join site far_site on far_site.id = far.site_id
		where (:customer::uuid is null or customer.id = :customer) and (:site::uuid is null or :site in (near_site.id, far_site.id))
		order by customer.name, tunnel.name`,
		{ customer: customerId, site: siteId, outside: OUTSIDE_FIELD }
	);
	return (rows as (TunnelRow & { block: string })[]).map(({ block, near, far, ...row }) => {
		const addresses = tunnelAddresses(block);
		return { ...row, near: { ...near, address: addresses.near }, far: { ...far, address: addresses.far } };
	});
}

/** Places of patterns whose sites have no tunnel yet though their pattern says where one leads: by pattern. */
export interface WantedTunnels {
	readonly patternId: string;
	readonly patternName: string;
	readonly customerId: string;
	readonly to: string;
	readonly count: number;
}
export async function tunnelsWanted(customerId: string | null): Promise<WantedTunnels[]> {
	const { rows } = await database().raw(
		`select pattern.id as "patternId", pattern.name as "patternName", pattern.customer_id as "customerId",
			min(far.name || ' at ' || far_site.name) as to, count(*)::int as count
		from (${WANTED}) wanted join site_pattern pattern on pattern.id = wanted.pattern_id
		join position far on far.id = wanted.far_position join site far_site on far_site.id = far.site_id
		where (:customer::uuid is null or pattern.customer_id = :customer)
		group by pattern.id order by pattern.name`,
		{ customer: customerId }
	);
	return rows;
}
export const WANTED = `select place.pattern_id, near.id as near_position, place.tunnel_to as far_position, site.name as site_name, site.id as site_id
	from pattern_position place join position near on near.pattern_position_id = place.id join site on site.id = near.site_id
	where place.tunnel_to is not null and place.tunnel_to <> near.id and not exists (
		select from tunnel where least(near_position, far_position) = least(near.id, place.tunnel_to)
			and greatest(near_position, far_position) = greatest(near.id, place.tunnel_to))`;

/** Where a tunnel of a customer can begin or lead: the positions of its routers and gateways. */
export const positionChoices = (customerId: string): Promise<{ id: string; name: string }[]> =>
	database()('position')
		.join('site', 'site.id', 'position.site_id')
		.where('position.customer_id', customerId)
		.whereIn('role_id', ['router', 'gateway'])
		.orderBy(['site.name', 'position.name'])
		.select('position.id', database().raw(`site.name || ', ' || position.name as name`));

/** The other ends of tunnels that are told of what is given at some positions: their configurations change as well. */
export async function toldAcross(
	knex: Knex,
	given: readonly { readonly field: string; readonly positionId: string; readonly target: string }[]
): Promise<readonly string[]> {
	const fields = given.filter(({ field }) => TOLD_ACROSS.includes(field));
	if (fields.length === 0) return [];
	const { rows } = await knex.raw(
		`with changed as (
			select distinct other.id from jsonb_to_recordset(?::jsonb) as given("positionId" uuid, target text)
			join position own on own.id = given."positionId"
			join position other on other.customer_id = own.customer_id and case given.target
				when 'position' then other.id = own.id when 'site' then other.site_id = own.site_id else true end)
		select distinct position.name || ' at ' || site.name as place from tunnel
		join position on position.id in (near_position, far_position) join site on site.id = position.site_id
		where (near_position in (select id from changed) or far_position in (select id from changed))
			and position.id not in (select id from changed) order by 1`,
		[JSON.stringify(fields.map(({ positionId, target }) => ({ positionId, target })))]
	);
	return (rows as { place: string }[]).map(({ place }) => place);
}
