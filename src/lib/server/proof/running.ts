import { URGENT } from '../../../core/errand';
import { answerTo, askErrand, readingOf, type Reading } from '../connections';
import { database } from '../database';

/** So long somebody who opened a page waits for a unit to answer. */
const PATIENCE_MS = 20_000;

/**
 * What a unit runs at this moment, read over its connection, whichever process holds it; null when it has
 * none, does not answer in time, or whoever asks may not ask anything of it.
 */
export async function readRunning(unitId: string): Promise<Reading | null> {
	const errand = await database().transaction((trx) =>
		askErrand(trx, { unitId, kind: 'read', priority: URGENT, waits: PATIENCE_MS, ifConnected: true })
	);
	const answer = errand === null ? null : await answerTo(errand, PATIENCE_MS);
	return answer?.state === 'done' ? readingOf(answer.id, 'configuration') : null;
}
