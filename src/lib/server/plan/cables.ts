import type { Knex } from 'knex';
import type { Cable } from '../../../core/plan';

export const cableOf = (row: Readonly<Record<string, string | null>>): Cable => ({
	near: { positionId: row.near_position!, port: row.near_port! },
	far: row.far_position === null ? null : { positionId: row.far_position!, port: row.far_port! }
});

/** A site's cables; null while nobody decided on them. */
export async function decidedCables(siteId: string, knex: Knex): Promise<readonly Cable[] | null> {
	const site = await knex('site').where({ id: siteId }).first('is_cabled as isCabled');
	return site?.isCabled ? (await knex('cable').where({ site_id: siteId }).orderBy('id')).map(cableOf) : null;
}

/** Cables those of the sites whose cabling is decided as their pattern says, where the ports are free on both sides. */
export async function cableAsPattern(
	trx: Knex,
	patternId: string,
	siteIds: readonly string[]
): Promise<void> {
	if (siteIds.length === 0) return;
	await trx.raw(
		`insert into cable (id, site_id, customer_id, near_position, near_port, far_position, far_port)
		select gen_random_uuid(), site.id, site.customer_id, near.id, pc.near_port, far.id, pc.far_port
		from site join pattern_cable pc on pc.pattern_id = :pattern
		join position near on near.site_id = site.id and near.pattern_position_id = pc.near_place
		left join position far on far.site_id = site.id and far.pattern_position_id = pc.far_place
		where site.id = any (:sites::uuid[]) and site.is_cabled and (pc.far_place is null) = (far.id is null) and not exists (
			select from cable c where (c.near_position, c.near_port) in ((near.id, pc.near_port), (far.id, pc.far_port))
				or (c.far_position, c.far_port) in ((near.id, pc.near_port), (far.id, pc.far_port)))`,
		{ sites: [...siteIds], pattern: patternId }
	);
}
