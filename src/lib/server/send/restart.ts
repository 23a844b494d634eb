import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { askErrand, onErrand } from '../connections';
import { apartFromTransaction, database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { talkOf } from '../packs';
import { mayBeDisrupted } from '../windows';
import { boundUnit, WORDS } from './ask';
import { openFlash } from './flash-store';

/** From now on units restart when they are told to. */
export const startRestarts = (): void =>
	onErrand('restart', async (_, dialogue) => {
		await dialogue.restart();
		return { words: 'Told to restart; it comes back by itself.', hangUp: true };
	});

/** From now on units save what they run when they are told to. */
export const startSaving = (): void =>
	onErrand('save', async (_, dialogue) => {
		await dialogue.save();
		return 'It starts with what it runs.';
	});

/** Restarts one unit. As `restartAt`, in a transaction of its own. */
export const restartUnit = async (unitId: string, asked: boolean, actor: Actor): Promise<Act> => {
	const act = await database().transaction((trx) => restartAt(trx, unitId, asked, actor));
	return act.ok ? done(undefined) : act;
};

/**
 * Restarts a bound unit that is connected; the id of the errand. Whoever may send at the customer may. Refused: a model
 * whose pack does not say how, a unit that is not connected, one with a send or a flash under way; outside the site's windows
 * without a reason. `asked`: the site's contact was, where that is to be done first.
 */
export async function restartAt(
	trx: Knex,
	unitId: string,
	asked: boolean,
	actor: Actor
): Promise<Act<string>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId)) return refuse('You may not restart units of this customer.');
	if (!(await apartFromTransaction(() => talkOf(unit.makerId, unit.modelId)))?.restart)
		return refuse(`The pack of ${unit.modelName} does not say how a unit is restarted.`);
	const underWay = await trx('send').where({ unit_id: unitId, ended_at: null }).first('id');
	if (underWay) return refuse('A send to this unit is under way; a restart now would undo it.');
	if (await openFlash(unitId, trx)) return refuse(WORDS.one_flash_at_a_time);
	const allowed = await mayBeDisrupted(trx, unit.siteId, { reason: actor.reason ?? null, asked });
	if (!allowed.ok) return allowed;
	const errand = await askErrand(trx, { unitId, kind: 'restart', ifConnected: true });
	if (errand === null) return refuse('The unit is not connected at this moment.');
	await notify(trx, 'units', unit.customerId, [unitId]);
	await enterInLedger(trx, actor, [
		{
			act: 'restart unit',
			customerId: unit.customerId,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${unit.serial} at ${unit.positionName}, ${unit.siteName} is restarted.${allowed.done}`
		}
	]);
	return done(errand);
}
