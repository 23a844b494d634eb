import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import * as v from 'valibot';
import {
	cablingProblems,
	proposeCabling,
	type Cable,
	type CabledPosition,
	type CablingProblem
} from '../../../core/plan';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { renderingSources } from '../profile';
import { cableOf } from './cables';
import { NOT_PLANNED_BY_YOU } from './patterns/patterns';

/** A position with its ports' printed names, by what they are for. */
export interface PortedPosition extends CabledPosition {
	readonly portNames: Readonly<Record<string, string>>;
}
export interface Cabling {
	readonly siteId: string;
	readonly positions: readonly PortedPosition[];
	readonly cables: readonly Cable[];
	/** Somebody decided on it; otherwise it is what would be proposed. */
	readonly isDecided: boolean;
	readonly problems: readonly CablingProblem[];
}

/** The cabling of sites, by their ids: as it was decided, or as it would be proposed. */
export async function cablingOf(
	siteIds: readonly string[],
	knex: Knex = database()
): Promise<ReadonlyMap<string, Cabling>> {
	const ids = [...siteIds];
	const sites = await knex('site').whereIn('id', ids).select('id', 'uplink', 'is_cabled as isDecided');
	const placed = await knex('position')
		.whereIn('site_id', ids)
		.orderBy('name')
		.select('id', 'name', 'role_id as roleId', 'site_id as siteId');
	const stored = await knex('cable').whereIn('site_id', ids).orderBy('id').select('*');
	const sources = await renderingSources(
		knex,
		placed.map(({ id }) => id as string)
	);
	return new Map(
		sites.map(({ id, uplink, isDecided }): [string, Cabling] => {
			const positions = placed
				.filter(({ siteId }) => siteId === id)
				.map(({ id: positionId, name, roleId }): PortedPosition => {
					const portNames = sources.get(positionId)?.model?.ports ?? {};
					return { id: positionId, name, roleId, ports: Object.keys(portNames), portNames };
				});
			const isWired = uplink !== 'cellular';
			const cables = isDecided
				? stored.filter((cable) => cable.site_id === id).map(cableOf)
				: proposeCabling(positions, [], isWired);
			const problems = cablingProblems(positions, cables, isWired);
			return [id, { siteId: id, positions, cables, isDecided, problems }];
		})
	);
}

const end = v.object({ positionId: v.pipe(v.string(), v.uuid()), port: v.pipe(v.string(), v.maxLength(41)) });
export const cablingSchema = v.pipe(
	v.array(v.object({ near: end, far: v.nullable(end) })),
	v.maxLength(500, 'At most 500 cables.')
);

/**
 * Decides on a site's cabling as a whole; `null`: as it would be proposed. Whoever may plan sites for the customer may.
 * Refused: a port twice or one that is not there, a cable into itself. What has no cable yet is no obstacle.
 */
export async function decideCabling(
	siteId: string,
	cables: readonly Cable[] | null,
	actor: Actor
): Promise<Act> {
	return database().transaction(async (trx) => {
		const site = await trx('site').where({ id: siteId }).forUpdate().first('name', 'customer_id', 'uplink');
		if (!site) return refuse('There is no such site any more.');
		if (!actor.may('plan sites', site.customer_id)) return refuse(NOT_PLANNED_BY_YOU);
		const { positions } = (await cablingOf([siteId], trx)).get(siteId)!;
		const wrong = cablingProblems(positions, cables ?? [], site.uplink !== 'cellular').find(
			({ kind }) => kind === 'wrong'
		);
		if (wrong) return refuse(wrong.message);
		await trx('cable').where({ site_id: siteId }).delete();
		if (cables && cables.length > 0)
			await trx('cable').insert(
				cables.map(({ near, far }) => ({
					id: uuid(),
					site_id: siteId,
					customer_id: site.customer_id,
					near_position: near.positionId,
					near_port: near.port,
					far_position: far?.positionId ?? null,
					far_port: far?.port ?? null
				}))
			);
		await trx('site')
			.where({ id: siteId })
			.update({ is_cabled: cables !== null });
		await notify(trx, 'plan', site.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'plan cabling',
				customerId: site.customer_id,
				subjectKind: 'site',
				subjectId: siteId,
				words: cables
					? `The cabling of ${site.name} was planned: ${counted(cables.length, 'cable')}.`
					: `The cabling of ${site.name} is what is proposed again.`
			}
		]);
		return done(undefined);
	});
}

/** The ports that models of each role have, by what they are for. */
export async function portsByRole(): Promise<ReadonlyMap<string, readonly string[]>> {
	const { rows } = await database().raw(
		`select model_role.role_id as role, array_agg(distinct port order by port) as ports
		from model join model_role on model_role.model_id = model.id, jsonb_object_keys(ports) port group by model_role.role_id`
	);
	return new Map((rows as { role: string; ports: string[] }[]).map(({ role, ports }) => [role, ports]));
}
