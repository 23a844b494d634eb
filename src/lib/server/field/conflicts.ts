import { done, refuse, type Act } from '../act';
import { database } from '../database';
import type { Actor } from '../ledger';
import { bindUnit, swapUnit, unbindUnit } from '../onboarding';
import { notify } from '../live';
import { enterInLedger } from '../ledger';
import { collision } from './sync';

/** Two people decided about the same position or the same unit: both sides, until one is chosen. */
export interface Conflict {
	readonly id: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly positionName: string;
	readonly serial: string;
	readonly doneAt: Date;
	/** What stands in the way, in words. */
	readonly words: string;
}

/** A person's conflicts that are not settled, the oldest first. */
export const conflictsOf = (personId: string): Promise<Conflict[]> =>
	database()('field_entry')
		.join('site', 'site.id', 'site_id')
		.join('position', 'position.id', 'position_id')
		.where({ person_id: personId, outcome: 'conflict' })
		.whereNull('resolution')
		.orderBy('done_at')
		.select<Conflict[]>(
			'field_entry.id',
			'site.id as siteId',
			'site.name as siteName',
			'position.name as positionName'
		)
		.select('serial', 'done_at as doneAt', 'outcome_words as words');

/**
 * Settles a conflict. “Theirs” leaves all as it is; “mine” binds what was scanned, in place of what stands
 * there: a unit that was never heard from is unbound, one that was is swapped out. Refused when the scanned
 * unit already runs somewhere else.
 */
export async function settle(
	id: string,
	choice: 'theirs' | 'mine',
	actor: Actor & { readonly personId: string }
): Promise<Act> {
	const entry = await database()('field_entry')
		.where({ id, person_id: actor.personId, outcome: 'conflict' })
		.whereNull('resolution')
		.first();
	if (!entry) return refuse('This is settled already.');
	if (choice === 'mine') {
		const unit = await database()('unit')
			.where({ serial: entry.serial, customer_id: entry.customer_id })
			.first('id');
		if (!unit) return refuse(`${entry.serial} is not claimed any more.`);
		const act = await bindMine(entry.position_id, unit.id, actor);
		if (!act.ok) return act;
	}
	return database().transaction(async (trx) => {
		await trx('field_entry').where({ id }).update({ resolution: choice, resolved_at: trx.fn.now() });
		await notify(trx, 'runs', entry.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'settle conflict',
				customerId: entry.customer_id,
				subjectKind: 'position',
				subjectId: entry.position_id,
				words: `${entry.serial}, scanned in the field: ${choice === 'mine' ? 'bound in place of what stood there' : 'what others did stays'}.`
			}
		]);
		return done(undefined);
	});
}

async function bindMine(positionId: string, unitId: string, actor: Actor): Promise<Act> {
	const { here, elsewhere } = await collision(positionId, unitId);
	if (here === unitId) return done(undefined);
	if (elsewhere) {
		if (await wasHeard(elsewhere))
			return refuse(
				'This unit already runs at another position. Unbind it there first; what that means is said there.'
			);
		const freed = await unbindUnit(elsewhere, actor);
		if (!freed.ok) return freed;
	}
	if (here && (await wasHeard(positionId))) {
		const swapped = await swapUnit(positionId, unitId, {
			...actor,
			reason: 'Another unit was scanned at this position in the field.'
		});
		return swapped.ok ? done(undefined) : swapped;
	}
	if (here) {
		const freed = await unbindUnit(positionId, actor);
		if (!freed.ok) return freed;
	}
	const bound = await bindUnit(positionId, unitId, actor);
	return bound.ok ? done(undefined) : bound;
}

/** Whether the unit at a position has called in its present run. */
const wasHeard = async (positionId: string): Promise<boolean> =>
	(
		await database()('binding')
			.join('run', 'run.id', 'run_id')
			.where('binding.position_id', positionId)
			.first('heard_at')
	)?.heard_at != null;
