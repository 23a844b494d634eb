import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { TakenBack } from '../change';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { cancelErrands, hangUp } from '../connections';
import { endRun } from '../runs';
import { bindIn, changeBinding, lockBinding } from './bind';

/**
 * Replaces the unit at a position by another in one act. The position keeps its values and its history.
 * The old unit is unbound and out of service: what it called home with opens nothing any more, and it can
 * be bound nowhere until somebody puts it back. Whoever may unbind and bind for the customer may do it, and
 * says why. Refused, with nothing changed, for all that binding is refused for.
 */
export async function swapUnit(
	positionId: string,
	unitId: string,
	actor: Actor
): Promise<Act<{ runId: string }>> {
	return changeBinding((trx) => swapIn(trx, positionId, unitId, actor));
}

/** The same inside a transaction of the caller's. */
export async function swapIn(
	trx: Knex,
	positionId: string,
	unitId: string,
	actor: Actor
): Promise<Act<{ runId: string }>> {
	const why = actor.reason;
	if (!why) return refuse('Say why the unit is replaced.');
	const locked = await lockBinding(trx, positionId, (customer) =>
		actor.may('unbind', customer) && actor.may('bind', customer)
			? null
			: 'You may not swap units for this customer.'
	);
	if (!locked.ok) return locked;
	const old = locked.done;
	if (old.unit_id === unitId) return refuse('This unit is the one that is there.');
	await trx('binding').where({ position_id: positionId }).delete();
	await endRun(trx, old, `Swapped by ${actor.name}.`);
	const bound = await bindIn(trx, positionId, unitId, actor);
	if (!bound.ok) throw new TakenBack(bound);
	await trx('unit').where({ id: old.unit_id }).update({
		out_of_service_at: trx.fn.now(),
		out_of_service_why: why,
		replaced_by: unitId
	});
	await trx('unit_host_key').where({ unit_id: old.unit_id }).delete();
	await cancelErrands(trx, old.unit_id, `Swapped by ${actor.name}.`);
	await hangUp(trx, old.customer_id, old.unit_id);
	const { serial } = await trx('unit').where({ id: unitId }).first('serial');
	await notify(trx, 'runs', old.customer_id, [old.run_id]);
	await notify(trx, 'units', old.customer_id, [old.unit_id, unitId]);
	await enterInLedger(trx, actor, [
		{
			act: 'swap',
			customerId: old.customer_id,
			subjectKind: 'unit',
			subjectId: old.unit_id,
			words: `Unit ${old.serial} at ${old.position}, ${old.site} replaced by ${serial} and out of service.`,
			detail: { positionId, oldRunId: old.run_id, unitId, runId: bound.done.runId }
		}
	]);
	return done({ runId: bound.done.runId });
}

/** Puts a unit that was out of service back among those that can be bound. Whoever may claim for the customer may do it. */
export async function returnToService(unitId: string, actor: Actor): Promise<Act> {
	return database().transaction(async (trx) => {
		const unit = await trx('unit')
			.where({ id: unitId })
			.whereNotNull('out_of_service_at')
			.forUpdate()
			.first('serial', 'customer_id', 'ownership');
		if (!unit) return refuse('This unit is in service.');
		if (unit.ownership === 'released')
			return refuse('It was given up. Take it in again, with its claim code, to have it back.');
		if (!actor.may('claim', unit.customer_id)) return refuse('You may not do this for this customer.');
		await trx('unit')
			.where({ id: unitId })
			.update({ out_of_service_at: null, out_of_service_why: null, replaced_by: null });
		// Nor is it given up any more
		await trx('claim_request').where({ unit_id: unitId, kind: 'release' }).delete();
		await notify(trx, 'units', unit.customer_id, [unitId]);
		await enterInLedger(trx, actor, [
			{
				act: 'return to service',
				customerId: unit.customer_id,
				subjectKind: 'unit',
				subjectId: unitId,
				words: `Unit ${unit.serial} is in service again.`
			}
		]);
		return done(undefined);
	});
}
