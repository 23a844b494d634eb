import type { Knex } from 'knex';
import { TOLD_ACROSS, tunnelEnd, type TunnelEnd, type TunnelSide } from '../../../core/plan';
import type { Values } from '../../../core/profile';
import { unseal } from '../keys';
import { opened } from './opened';

interface Row {
	readonly name: string;
	readonly block: string;
	readonly secret: string;
	readonly near: Side;
	readonly far: Side;
}
interface Side {
	readonly positionId: string;
	readonly positionName: string;
	readonly siteName: string;
	readonly customer: Values;
	readonly site: Values;
	readonly position: Values;
}

const NONE: readonly TunnelEnd[] = [];

/** The tunnels of many positions as their texts see them, in order of name. */
export async function tunnelsAt(
	knex: Knex,
	positionIds: readonly string[]
): Promise<(positionId: string) => readonly TunnelEnd[]> {
	const side = (end: 'near' | 'far') =>
		`jsonb_build_object('positionId', ${end}.id, 'positionName', ${end}.name, 'siteName', ${end}_site.name,
			'customer', customer.values, 'site', ${end}_site.values, 'position', ${end}.values)`;
	const { rows } = await knex.raw(
		`select tunnel.name, tunnel.block, tunnel.secret, ${side('near')} as near, ${side('far')} as far
		from tunnel
		join position near on near.id = tunnel.near_position join site near_site on near_site.id = near.site_id
		join position far on far.id = tunnel.far_position join site far_site on far_site.id = far.site_id
		join customer on customer.id = tunnel.customer_id
		where tunnel.near_position = any (:ids::uuid[]) or tunnel.far_position = any (:ids::uuid[])
		order by tunnel.name`,
		{ ids: [...positionIds] }
	);
	if (rows.length === 0) return () => NONE;
	const wanted = new Set(positionIds);
	const found = new Map<string, TunnelEnd[]>();
	for (const { near, far, secret, ...tunnel } of rows as Row[]) {
		const sides = [sideOf('near', near), sideOf('far', far)] as const;
		const opened = { ...tunnel, secret: unseal(secret) };
		for (const [own, other, { positionId }] of [
			[sides[0], sides[1], near],
			[sides[1], sides[0], far]
		] as const)
			if (wanted.has(positionId))
				found.set(positionId, [...(found.get(positionId) ?? []), tunnelEnd(opened, own, other)]);
	}
	return (positionId) => found.get(positionId) ?? NONE;
}

const sideOf = (
	side: TunnelSide['side'],
	{ siteName, positionName, customer, site, position }: Side
): TunnelSide => ({
	side,
	siteName,
	positionName,
	scoped: { customer: told(customer), site: told(site), position: told(position) }
});

/** Of values what the other end is told: the rest stays sealed. */
const told = (values: Values): Values =>
	opened(Object.fromEntries(Object.entries(values).filter(([name]) => TOLD_ACROSS.includes(name))));
