import type { Dialect } from '../../../core/config';
import { counted } from '../../../core/text';
import { done, refuse, type Act } from '../act';
import { changing, TakenBack } from '../change';
import { database } from '../database';
import { unseal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { saveValuesIn } from '../plan';
import { addOwnIn } from '../profile';
import { draftRollout } from '../rollout';
import type { OwnAtMany } from './look';
import type { SmallChangeResult } from './store';
import type { What } from './what';

interface Kept {
	readonly units: readonly string[];
}

/**
 * Puts a small change that somebody has looked at into the plan, at the positions that it would change, and plans the
 * rollout that sends it. Whoever may send and set values at all their customers may. Refused: when it was not looked at, or
 * somebody changed meanwhile what it is about.
 */
export async function keepSmallChange(
	id: string,
	edit: number,
	actor: Actor
): Promise<Act<{ readonly rolloutId: string }>> {
	const kept = await changing((trx) => intoPlan(trx, id, edit, actor));
	if (!kept.ok) return kept;
	const { units } = kept.done;
	const rollout = await draftRollout({ kind: 'due', whom: { units, areDue: true } }, actor);
	return rollout.ok
		? done({ rolloutId: rollout.done.id })
		: refuse(`It is part of the plan now, but no rollout of it could be planned. ${rollout.problem}`);
}

async function intoPlan(
	trx: ReturnType<typeof database>,
	id: string,
	edit: number,
	actor: Actor
): Promise<Act<Kept>> {
	const row = await trx('small_change').where({ id }).forUpdate().first();
	if (!row || row.state !== 'done' || row.edit !== edit)
		return refuse('Look first at what it comes to; something has changed since.');
	const { changed } = row.result as SmallChangeResult;
	if (changed.length === 0) return refuse('It changes nothing anywhere.');
	const places: { id: string; customerId: string; unitId: string }[] = await trx('position')
		.join('binding', 'binding.position_id', 'position.id')
		.whereIn('position.id', [...changed])
		.orderBy('position.id')
		.select('position.id', 'position.customer_id as customerId', 'unit_id as unitId');
	if (places.some(({ customerId }) => !actor.may('send', customerId) || !actor.may('set values', customerId)))
		return refuse('You may not change what is planned for all of these customers.');
	const what = JSON.parse(unseal(row.what)) as What;
	await trx('small_change').where({ id }).update({ state: 'kept', touched_at: trx.fn.now() });
	const there = new Set(places.map((place) => place.id));
	if (what.kind === 'value') {
		const saved = await saveValuesIn(
			trx,
			places.map((place) => ({
				positionId: place.id,
				field: what.field,
				target: 'position' as const,
				now: what.value
			})),
			actor
		);
		if (!saved.ok)
			throw new TakenBack(refuse(`Nothing was changed. ${saved.cells[0]?.message ?? saved.problem}`));
	} else {
		for (const { dialect, statements, positions } of JSON.parse(unseal(row.statements)) as OwnAtMany[])
			for (const positionId of positions.filter((one) => there.has(one))) {
				const act = await addOwnIn(trx, positionId, dialect as Dialect, statements);
				if (!act.ok) throw new TakenBack(act);
			}
		await enterInLedger(
			trx,
			actor,
			[...new Set(places.map(({ customerId }) => customerId))].map((customerId) => ({
				act: 'give own text',
				customerId,
				subjectKind: 'customer' as const,
				subjectId: customerId,
				words: `${counted(places.filter((place) => place.customerId === customerId).length, 'position')} given statements of their own by a change for many.`,
				detail: { smallChange: id }
			}))
		);
	}
	return done({ units: places.map(({ unitId }) => unitId) });
}
