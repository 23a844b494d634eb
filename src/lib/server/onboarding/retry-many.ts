import { database } from '../database';
import type { Actor } from '../ledger';
import { proveSoon } from './call-home';
import { retryRun } from './service';

/**
 * Lets those of many units whose runs failed try again, each as an act of its own. Returns how many may, and
 * how many were left as they are: not bound, not failed, or not for whoever asks.
 */
export async function retryUnits(
	unitIds: readonly string[],
	actor: Actor
): Promise<{ readonly tried: number; readonly left: number }> {
	const failed: { position_id: string }[] = await database()('binding')
		.join('run', 'run.id', 'run_id')
		.whereIn('binding.unit_id', [...unitIds])
		.where('run.outcome', 'failed')
		.select('binding.position_id');
	let tried = 0;
	for (const { position_id } of failed) {
		const act = await retryRun(position_id, actor);
		if (!act.ok) continue;
		tried++;
		proveSoon(act.done.unitId);
	}
	return { tried, left: unitIds.length - tried };
}
