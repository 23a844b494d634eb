import type { Knex } from 'knex';
import { done, refuse, refuseWithoutReason, type Act } from '../act';
import { changing } from '../change';
import { askErrand, cancelErrands } from '../connections';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { renderingSources, renderPosition, strandingAt } from '../profile';
import { endRun, insertRun, nextRun } from '../runs';

/**
 * Ties a claimed unit to a position and begins its run. Whoever may bind for the customer may do it.
 * Refused, with the reason, when either is taken or they do not suit; of two people who bind at once the
 * database lets one through.
 */
export async function bindUnit(
	positionId: string,
	unitId: string,
	actor: Actor
): Promise<Act<{ runId: string }>> {
	return changeBinding((trx) => bindIn(trx, positionId, unitId, actor));
}

/** An act that binds, in one transaction; what the database refuses is told in words. */
export const changeBinding = <Done>(work: (trx: Knex) => Promise<Act<Done>>): Promise<Act<Done>> =>
	changing(work, BINDING_REFUSALS, 'The unit does not suit this position.');

/** The words of the database's constraints that binding can meet. */
export const BINDING_REFUSALS: Record<string, string> = {
	unit_in_service: 'This unit is out of service. Put it back in service first, if it is sound.',
	binding_pkey: 'Somebody else has just bound a unit to this position.',
	binding_unit_id_key: 'Somebody else has just bound this unit to a position.',
	one_open_run_per_unit: 'Somebody else has just bound this unit to a position.',
	run_position_id_number_key: 'Somebody else has just bound a unit to this position.'
};

/** The same inside a transaction of the caller's. */
export async function bindIn(
	trx: Knex,
	positionId: string,
	unitId: string,
	actor: Actor
): Promise<Act<{ runId: string }>> {
	const { rows } = await trx.raw(
		`select unit.serial, unit.ownership, unit.ownership_words, unit.customer_id, unit.model_id, model.name as model,
			exists (select from model_role where model_role.model_id = model.id and model_role.role_id = position.role_id) as serves, bound.site as bound_site,
			position.name as position, position.customer_id as position_customer, position.role_id as position_role,
			role.name as role, site.name as site, taken.unit_id as taken_by
		from unit join model on model.id = unit.model_id
		cross join position join site on site.id = position.site_id join role on role.id = position.role_id
		left join binding taken on taken.position_id = position.id
		left join lateral (
			select site.name || ' ' || p.name as site from binding b join position p on p.id = b.position_id
			join site on site.id = p.site_id where b.unit_id = unit.id
		) bound on true
		where unit.id = ? and position.id = ?`,
		[unitId, positionId]
	);
	const [pair] = rows;
	if (!pair || pair.customer_id !== pair.position_customer)
		return refuse('There is no such unit or position.');
	if (!actor.may('bind', pair.customer_id)) return refuse('You may not bind units for this customer.');
	if (pair.taken_by)
		return refuse(`${pair.position} at ${pair.site} already has a unit; unbind that one first.`);
	if (pair.bound_site)
		return refuse(`Unit ${pair.serial} is already bound to ${pair.bound_site}; unbind it there first.`);
	if (pair.ownership === 'refused')
		return refuse(`${pair.serial} is not ours to bind. ${pair.ownership_words}`);
	if (!pair.serves)
		return refuse(`A ${pair.model} cannot serve as ${pair.role}: ${pair.position} needs one.`);
	const judged = await judge(trx, positionId, pair.model_id);
	if (judged.gap) return refuse(judged.gap);
	if (judged.stranding.length > 0) {
		const why = `What ${pair.position} would get strands the unit: ${judged.stranding.join(' ')}`;
		if (!actor.may('override stranding', pair.customer_id))
			return refuse(`${why} An engineer can bind it all the same, with a reason.`);
		if (!actor.reason) return refuseWithoutReason(`${why} Say why you bind it all the same.`);
	}
	// Whoever binds it lets it in, even if it was turned away before
	await trx('caller')
		.where({ serial: pair.serial })
		.whereNotNull('turned_away_at')
		.update({ turned_away_at: null, turned_away_by: null });
	const runId = await insertRun(trx, {
		unit_id: unitId,
		position_id: positionId,
		customer_id: pair.customer_id
	});
	await trx('binding').insert({
		position_id: positionId,
		unit_id: unitId,
		customer_id: pair.customer_id,
		model_id: pair.model_id,
		role_id: pair.position_role,
		run_id: runId,
		override_reason: judged.stranding.length > 0 ? actor.reason! : null
	});
	await enterInLedger(trx, actor, [
		{
			act: 'bind',
			customerId: pair.customer_id,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${pair.serial} bound to ${pair.position} at ${pair.site}.`,
			detail: { positionId, runId }
		}
	]);
	await notify(trx, 'runs', pair.customer_id, [runId]);
	return done({ runId });
}

/**
 * What stands against a model at a position: a part of its profile has no text for it, or what it would
 * get leaves it without a way back. What cannot be computed yet is no reason: it is withheld until it can.
 */
async function judge(
	trx: Knex,
	positionId: string,
	modelId: string
): Promise<{ gap: string | null; stranding: readonly string[] }> {
	const source = (await renderingSources(trx, [positionId], { modelId })).get(positionId)!;
	if (source.uplinkGap)
		return {
			gap: `${source.uplinkGap} Correct the uplink on the site’s page, or the profile.`,
			stranding: []
		};
	const gap = source.revision?.parts.find(({ texts }) => texts[source.model!.dialect] === undefined);
	if (gap)
		return {
			gap: `The profile of ${source.positionName} is not written for a ${source.model!.name}: “${gap.name}” has no text for it.`,
			stranding: []
		};
	return { gap: null, stranding: strandingAt(source, renderPosition(source)) };
}

/** Undoes a binding: the run is cancelled if it is still open, the position is free again, the history stays. */
export const unbindUnit = (positionId: string, actor: Actor): Promise<Act> =>
	database().transaction((trx) => unbindIn(trx, positionId, actor));

/** The same inside a transaction of the caller's. */
export async function unbindIn(trx: Knex, positionId: string, actor: Actor): Promise<Act> {
	const locked = await lockBinding(trx, positionId, (customer) =>
		actor.may('unbind', customer) ? null : 'You may not unbind units for this customer.'
	);
	if (!locked.ok) return locked;
	const bound = locked.done;
	await trx('binding').where({ position_id: positionId }).delete();
	await endRun(trx, bound, `Unbound by ${actor.name}.`);
	await cancelErrands(trx, bound.unit_id, `Unbound by ${actor.name}.`);
	await notify(trx, 'runs', bound.customer_id, [bound.run_id]);
	await enterInLedger(trx, actor, [
		{
			act: 'unbind',
			customerId: bound.customer_id,
			subjectKind: 'unit',
			subjectId: bound.unit_id,
			words: `Unit ${bound.serial} unbound from ${bound.position} at ${bound.site}.`,
			detail: { positionId, runId: bound.run_id }
		}
	]);
	return done(undefined);
}

/**
 * Lets a unit whose run failed try again, or one that is online begin anew (it was set back, say): a new run
 * at the same position. What it already has (its firmware, say) it keeps, so it goes on from there when it
 * next calls or dials home. Whoever may retry for the customer may do it; refused while a run is open and not stalled.
 */
export const retryRun = (
	positionId: string,
	actor: Actor
): Promise<Act<{ runId: string; unitId: string; again: boolean }>> =>
	database().transaction((trx) => retryIn(trx, positionId, actor));

/** The same inside a transaction of the caller's. */
export async function retryIn(
	trx: Knex,
	positionId: string,
	actor: Actor
): Promise<Act<{ runId: string; unitId: string; again: boolean }>> {
	const locked = await lockBinding(trx, positionId, (customer) =>
		actor.may('retry', customer) ? null : 'You may not let units of this customer try again.'
	);
	if (!locked.ok) return locked;
	const binding = locked.done;
	if (binding.outcome === 'open') {
		if (!(await isStalled(trx, positionId))) return refuse('This run has not ended; it goes on by itself.');
		await endRun(trx, binding, 'It hardly moved any more; it was let try again.');
	}
	const again = binding.outcome === 'through';
	const runId = await nextRun(trx, { ...binding, position_id: positionId });
	// One that is connected is proven at once; any other when it next calls or dials home
	if (!again) await askErrand(trx, { unitId: binding.unit_id, kind: 'prove', ifConnected: true });
	await enterInLedger(trx, actor, [
		{
			act: 'retry',
			customerId: binding.customer_id,
			subjectKind: 'unit',
			subjectId: binding.unit_id,
			words: `Unit ${binding.serial} may ${again ? 'start over' : 'try again'} at ${binding.position}, ${binding.site}.`,
			detail: { positionId, runId }
		}
	]);
	await notify(trx, 'runs', binding.customer_id, [binding.run_id, runId]);
	return done({ runId, unitId: binding.unit_id, again });
}

const isStalled = async (trx: Knex, positionId: string): Promise<boolean> =>
	(await trx('position_standing')
		.where({ position_id: positionId, standing: 'stalled' })
		.first(trx.raw('1'))) !== undefined;

interface LockedBinding {
	unit_id: string;
	customer_id: string;
	run_id: string;
	serial: string;
	position: string;
	site: string;
	outcome: string;
}

/**
 * What is bound to a position, locked until the transaction ends. Whoever may not change it is told so first:
 * the walls would hide from them what they may see but not lock.
 */
export async function lockBinding(
	trx: Knex,
	positionId: string,
	refused: (customerId: string) => string | null
): Promise<Act<LockedBinding>> {
	const seen = await trx('binding').where({ position_id: positionId }).first('customer_id');
	const why = seen && refused(seen.customer_id);
	if (why) return refuse(why);
	const { rows } = await trx.raw(
		`select binding.unit_id, binding.customer_id, binding.run_id, unit.serial, position.name as position,
			site.name as site, run.outcome
		from binding join unit on unit.id = binding.unit_id join position on position.id = binding.position_id
		join site on site.id = position.site_id join run on run.id = binding.run_id
		where binding.position_id = ? for update of binding`,
		[positionId]
	);
	return rows[0] ? done(rows[0]) : refuse('No unit is bound to this position any more.');
}
