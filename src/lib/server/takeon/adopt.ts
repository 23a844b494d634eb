import { askErrand } from '../connections';
import { database, timeNow } from '../database';
import { renderApart, renderingSources } from '../profile';
import { record } from '../runs';

export const ADOPT = 'adopt a unit that was taken on';

/**
 * The run of a unit that was taken on begins with its proof: what it is to run counts as given to it, though nothing is sent.
 * Done twice it does no harm.
 */
export async function adopt(runId: string): Promise<void> {
	const run = await database()('binding')
		.join('run', 'run.id', 'run_id')
		.where({ run_id: runId, outcome: 'open', step: 'bound' })
		.first('binding.position_id as positionId', 'binding.unit_id as unitId');
	if (!run) return;
	const source = (await renderingSources(database(), [run.positionId])).get(run.positionId)!;
	const rendering = await renderApart(source);
	if (!rendering.ok || !source.revision) return;
	await record({
		runId,
		event: { kind: 'call-home', at: timeNow() },
		words: 'Taken on as it runs; nothing was sent.',
		served: {
			rendering: rendering.text,
			revisionId: source.revision.id,
			// It keeps the firmware that it has
			targetVersion: null,
			checks: []
		}
	});
	await database().transaction((trx) =>
		askErrand(trx, { unitId: run.unitId, kind: 'prove', ifConnected: true })
	);
}
