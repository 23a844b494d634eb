import * as v from 'valibot';
import { STANCES } from '../../../core/stance';
import { takesStage } from '../../../core/takeon';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { forgetReachIn, NOT_REACHED_BY_YOU } from '../connections';
import { enterInLedger, type Actor } from '../ledger';
import { draftRollout } from '../rollout';
import { takeStanceIn } from '../stance';
import { aboutTakeOn } from './collect';
import { controlOf, OLD_WAY_DAYS } from './controlled';
import { takeOnById } from './store';

export const stageSchema = v.object({ stance: v.picklist(STANCES, 'Watch or hold?') });

/**
 * Takes the units of a take-on under control, one stage further or back: what is to become of drift is stated for each. Held
 * are those that were seen to run what is intended; watched again are all. Whoever may send for the customer may.
 */
export const takeStage = (
	id: string,
	{ stance }: v.InferOutput<typeof stageSchema>,
	actor: Actor
): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const takeOn = await takeOnById(id, trx);
		if (!takeOn) return refuse('There is no such take-on.');
		const { customerId } = takeOn;
		if (!actor.may('send', customerId)) return refuse('You may not decide this for this customer.');
		const units = (await controlOf(id, trx)).filter((unit) => takesStage(unit, stance));
		if (units.length === 0) return refuse('There is none for which that would change anything.');
		for (const { unitId } of units)
			await takeStanceIn(trx, { customerId, siteId: null, unitId }, stance, actor);
		return done({ count: units.length });
	});

/** Plans a rollout of what is due at a take-on’s units that are behind. Whoever may send for the customer may. */
export async function rollOutDue(id: string, actor: Actor): Promise<Act<{ readonly id: string }>> {
	const units = (await controlOf(id)).filter(({ isBehind }) => isBehind).map(({ unitId }) => unitId);
	if (units.length === 0) return refuse('None of its units is behind.');
	return draftRollout({ kind: 'due', whom: { units } }, actor);
}

/**
 * Gives up the addresses of a take-on’s units that have called home for days. What let somebody in there stays in their
 * configuration until it is taken out of the profile. Engineers of the customer may.
 */
export const endOldWay = (id: string, actor: Actor): Promise<Act<{ readonly count: number }>> =>
	changing(async (trx) => {
		const takeOn = await takeOnById(id, trx);
		if (!takeOn) return refuse('There is no such take-on.');
		if (!actor.may('reach units', takeOn.customerId)) return refuse(NOT_REACHED_BY_YOU);
		const settled = (await controlOf(id, trx)).filter(({ isSettled }) => isSettled);
		if (settled.length === 0)
			return refuse(`None of them has called home for ${OLD_WAY_DAYS} days without being dialled to.`);
		for (const { unitId } of settled) {
			const forgotten = await forgetReachIn(trx, unitId, actor);
			if (!forgotten.ok) throw new TakenBack(forgotten);
		}
		await enterInLedger(trx, actor, [
			aboutTakeOn(
				takeOn,
				`${counted(settled.length, 'unit')} of take-on “${takeOn.name}” ${settled.length === 1 ? 'is' : 'are'} reached at no address any more.`
			)
		]);
		return done({ count: settled.length });
	});
