import { done, type Act } from '../act';
import { doOrBegin, onLongWork, type Said, type WorkToDo } from '../jobs';
import type { Actor } from '../ledger';
import { bindIn, BINDING_REFUSALS, retryIn } from './bind';
import { warningsOf, type Pairing } from './pairing';
import { APPROVE, approveIn } from './proposals';
import { TRY_AGAIN } from './retry-many';

const BIND = 'bind';

/** From now on what was begun for many units at once is done. */
export function startBinding(): void {
	onLongWork(TRY_AGAIN, async (trx, { position }, actor) => {
		const act = await retryIn(trx, position!, actor);
		return act.ok ? done('It may try again.') : act;
	});
	onLongWork(APPROVE, (trx, { unit }, actor) => approveIn(trx, unit!, actor), BINDING_REFUSALS);
	onLongWork(
		BIND,
		async (trx, { unit, position, words }, actor) => {
			const warnings = await warningsOf({ unitId: unit!, positionId: position! }, trx);
			const act = await bindIn(trx, position!, unit!, actor);
			return act.ok ? done([words!, ...warnings].join(' ')) : act;
		},
		BINDING_REFUSALS
	);
}

export interface BoundMany {
	/** What became of each, in their order; null of all where `workId` names the work that binds them. */
	readonly bound: readonly { readonly pairing: Pairing; readonly outcome: Act<string | Said> | null }[];
	readonly workId: string | null;
}

/**
 * Binds units to positions, each as an act of its own that succeeds or says why not; more than wait for an answer as the
 * long work that `work` names. Whoever may bind for the customer may.
 */
export async function bindMany(
	customerId: string,
	pairings: readonly Pairing[],
	work: Pick<WorkToDo, 'title' | 'aboutId'>,
	actor: Actor
): Promise<BoundMany> {
	if (pairings.length === 0) return { bound: [], workId: null };
	const things = pairings.map(({ unitId, serial, positionId, place, byRule }) => ({
		customerId,
		subject: `${serial}, ${place}`,
		about: { unit: unitId, position: positionId, words: boundTo(place, byRule) }
	}));
	const act = await doOrBegin({ kind: BIND, ...work, things }, actor);
	const outcomeOf = (index: number): Act<string | Said> | null =>
		act.ok ? (act.done.outcomes?.[index] ?? null) : act;
	return {
		bound: pairings.map((pairing, index) => ({ pairing, outcome: outcomeOf(index) })),
		workId: act.ok ? act.done.workId : null
	};
}
const boundTo = (place: string, byRule: boolean) => `Bound to ${place}${byRule ? ', by rule' : ''}.`;
