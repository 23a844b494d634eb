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
	const [answer] = await readMany([unitId]);
	if (!answer) return refuse('The unit is not connected at this moment.');
	return answer.state === 'done' ? done(undefined) : refuse(`It could not be read. ${answer.words}`.trim());
}

/**
 * Has units read, all beside each other, and keeps what they run; each answer, null for one that is not connected. Waits at most
 * as long as somebody has patience for, or as `untilConnected` says in ms, and then also for their connection. The act that wants
 * it has asked whether it may.
 */
export async function readMany(
	unitIds: readonly string[],
	untilConnected: number | null = null
): Promise<readonly ({ readonly state: string; readonly words: string } | null)[]> {
	const errands = await database().transaction(async (trx) => {
		const asked: Awaited<ReturnType<typeof askErrand>>[] = [];
		for (const unitId of unitIds)
			asked.push(
				await askErrand(trx, {
					unitId,
					kind: 'read',
					priority: URGENT,
					waits: untilConnected ?? PATIENCE_MS,
					ifConnected: untilConnected === null
				})
			);
		return asked;
	});
	const answers = await Promise.all(
		errands.map(async (errand) => {
			if (errand === null) return null;
			const answer = await answerTo(errand, untilConnected ?? PATIENCE_MS);
			return { state: answer?.state ?? 'waiting', words: answer?.words ?? '' };
		})
	);
	await runAs(BOOTSTRAP, keepReadings);
	return answers;
}
