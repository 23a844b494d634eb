import { URGENT } from '../../../core/errand';
import { done, refuse, type Act } from '../act';
import { keepReadings } from '../archive';
import { answerTo, askErrand } from '../connections';
import { BOOTSTRAP, database, runAs } from '../database';
import type { Actor } from '../ledger';

/** So long somebody who asked waits for the unit to answer. */
const PATIENCE_MS = 20_000;

/**
 * Reads what a unit runs at this moment, keeps it, and holds it against what it should run. Whoever may prove at the
 * customer may. Refused: a unit that is not connected or does not answer in time.
 */
export async function readNow(unitId: string, actor: Actor): Promise<Act> {
	const unit = await database()('unit').where({ id: unitId }).first('customer_id as customerId');
	if (!unit) return refuse('There is no such unit.');
	if (!actor.may('prove', unit.customerId)) return refuse('You may not have units of this customer read.');
	const errand = await database().transaction((trx) =>
		askErrand(trx, { unitId, kind: 'read', priority: URGENT, waits: PATIENCE_MS, ifConnected: true })
	);
	if (errand === null) return refuse('The unit is not connected at this moment.');
	const answer = await answerTo(errand, PATIENCE_MS);
	if (answer?.state !== 'done') return refuse(`It could not be read. ${answer?.words ?? ''}`.trim());
	await runAs(BOOTSTRAP, keepReadings);
	return done(undefined);
}
