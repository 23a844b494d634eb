import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { TakenBack } from '../change';
import { database } from '../database';
import { enterInLedger } from '../ledger';
import type { Technician } from './schemas';
import { notify } from '../live';
import { arrivalAt, type Arrival } from '../runs';
import { bindIn, changeBinding, swapIn, unbindIn } from '../binding';
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
	database()('day_entry')
		.join('site', 'site.id', 'site_id')
		.join('position', 'position.id', 'position_id')
		.where({ person_id: personId, outcome: 'conflict' })
		.whereNull('resolution')
		.orderBy('done_at')
		.select<Conflict[]>(
			'day_entry.id',
			'site.id as siteId',
			'site.name as siteName',
			'position.name as positionName'
		)
		.select('serial', 'done_at as doneAt', 'outcome_words as words');

const openConflict = (knex: Knex, id: string, personId: string) =>
	knex('day_entry').where({ id, person_id: personId, outcome: 'conflict' }).whereNull('resolution');

/** The unit that settling a conflict as “mine” would swap out: it has called, and is in use or about to be. */
export async function wouldSwap(id: string, personId: string): Promise<Arrival | null> {
	const entry = await openConflict(database(), id, personId).first('position_id', 'serial');
	const arrival = entry && (await arrivalAt(entry.position_id));
	return arrival && arrival.heardAt !== null && arrival.serial !== entry.serial ? arrival : null;
}

/**
 * Settles a conflict, in one act. “Theirs” leaves all as it is; “mine” binds what was scanned, in place of
 * what stands there: a unit that was never heard from is unbound, one that was is swapped out (whoever asks
 * has shown again who they are: the caller's part). Refused when the scanned unit runs somewhere else.
 */
export async function settle(id: string, choice: 'theirs' | 'mine', actor: Technician): Promise<Act> {
	return changeBinding(async (trx) => {
		const entry = await openConflict(trx, id, actor.personId).forUpdate().first();
		if (!entry) return refuse('This is settled already.');
		if (choice === 'mine') {
			const unit = await trx('unit')
				.where({ serial: entry.serial, customer_id: entry.customer_id })
				.first('id');
			if (!unit) return refuse(`${entry.serial} is not claimed any more.`);
			const bound = await bindMine(trx, entry.position_id, unit.id, actor);
			if (!bound.ok) throw new TakenBack(bound);
		}
		await trx('day_entry').where({ id }).update({ resolution: choice, resolved_at: trx.fn.now() });
		await notify(trx, 'runs', entry.customer_id);
		await enterInLedger(trx, actor, [
			{
				act: 'settle conflict',
				customerId: entry.customer_id,
				subjectKind: 'position',
				subjectId: entry.position_id,
				words: `${entry.serial}, scanned at the site: ${choice === 'mine' ? 'bound in place of what stood there' : 'what others did stays'}.`
			}
		]);
		return done(undefined);
	});
}

/** Binds the scanned unit, in place of what stands there. */
async function bindMine(trx: Knex, positionId: string, unitId: string, actor: Technician): Promise<Act> {
	const { here, elsewhere } = await collision(trx, positionId, unitId);
	if (here === unitId) return done(undefined);
	if (elsewhere) {
		if (await wasHeard(trx, elsewhere))
			return refuse(
				'This unit already runs at another position. Unbind it there first; what that means is said there.'
			);
		const freed = await unbindIn(trx, elsewhere, actor);
		if (!freed.ok) return freed;
	}
	if (here && (await wasHeard(trx, positionId))) {
		const reason = actor.reason ?? 'Another unit was scanned at this position on site.';
		const swapped = await swapIn(trx, positionId, unitId, { ...actor, reason });
		return swapped.ok ? done(undefined) : swapped;
	}
	if (here) {
		const freed = await unbindIn(trx, positionId, actor);
		if (!freed.ok) return freed;
	}
	const bound = await bindIn(trx, positionId, unitId, actor);
	return bound.ok ? done(undefined) : bound;
}

/** Whether the unit at a position has called in its present run. */
async function wasHeard(trx: Knex, positionId: string): Promise<boolean> {
	const run = await trx('binding')
		.join('run', 'run.id', 'run_id')
		.where('binding.position_id', positionId)
		.first('heard_at');
	return run?.heard_at != null;
}
