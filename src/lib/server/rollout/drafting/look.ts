import { bringsConfiguration } from '../../../../core/rollout';
import { refuse, type Act } from '../../act';
import { database } from '../../database';
import type { Actor } from '../../ledger';
import { DUE, lookAtMany } from '../../send';

/**
 * Looks at exactly what each unit of a planned rollout would be told. Whoever may send at its customers may. Refused:
 * one that changes no configuration, or secrets, which nobody reads; one of too many units.
 */
export async function lookAtRollout(id: string, actor: Actor): Promise<Act<{ readonly id: string }>> {
	const rollout = await database()('rollout').where({ id }).first('kind', 'state');
	if (rollout?.state !== 'planned') return refuse('This rollout is not planned any more.');
	if (!bringsConfiguration(rollout.kind))
		return refuse('A rollout of this kind has no configuration to look at.');
	const items: { unit: string; version: string | null }[] = await database()('rollout_item')
		.where({ rollout_id: id })
		.select('unit_id as unit', 'version_id as version');
	return lookAtMany(
		id,
		items.map(({ unit, version }) => ({
			unitId: unit,
			wanted: version === null ? DUE : { kind: 'restore', version }
		})),
		actor
	);
}
