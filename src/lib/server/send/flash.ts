import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { isOlder, wayTo } from '../../../core/firmware';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { askErrand } from '../connections';
import { apartFromTransaction, database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { talkOf } from '../packs';
import { renderingSources } from '../profile';
import { mayBeDisrupted } from '../windows';
import { boundUnit, WORDS } from './ask';

/** A change of firmware that somebody wants. */
export interface Flashing {
	/** The version; its target where none is named. */
	readonly to?: string | undefined;
	/** The site's contact was asked, where that is to be done first. */
	readonly asked: boolean;
}

/** Flashes one unit. As `flashAt`, in a transaction of its own. */
export const flashUnit = (unitId: string, flashing: Flashing, actor: Actor): Promise<Act<string>> =>
	changing((trx) => flashAt(trx, unitId, flashing, actor), WORDS);

/**
 * Brings a unit that is online to another firmware, over the steps that its maker allows; the id of the flash. Whoever may
 * send at the customer may. Refused: a unit without a position or on its way; a send, a flash or nothing to do; a model whose
 * pack does not say how; a version without a way; an older one without a reason; outside the site's windows without a reason.
 */
export async function flashAt(
	trx: Knex,
	unitId: string,
	{ to, asked }: Flashing,
	actor: Actor
): Promise<Act<string>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId))
		return refuse('You may not change the firmware of this customer’s units.');
	if (!(await apartFromTransaction(() => talkOf(unit.makerId, unit.modelId)))?.flash)
		return refuse(
			`The pack of ${unit.modelName} does not say how the firmware of a unit that is online is changed.`
		);
	const binding = await trx('binding')
		.join('run', 'run.id', 'binding.run_id')
		.join('unit', 'unit.id', 'binding.unit_id')
		.where({ 'binding.unit_id': unitId, 'binding.position_id': unit.positionId })
		.forUpdate('binding')
		.first('run.id as runId', 'outcome', 'reported_version as version');
	if (!binding) return refuse('This unit is no longer bound here.');
	if (binding.outcome === 'open')
		return refuse('This unit is still on its way online; its firmware is changed there.');
	if (await trx('send').where({ unit_id: unitId, ended_at: null }).first('id'))
		return refuse(WORDS.one_send_at_a_time);
	const source = (await renderingSources(trx, [unit.positionId])).get(unit.positionId)!;
	const target = to ?? source.targetVersion;
	if (target === null) return refuse('No firmware is wanted here: its profile names none.');
	const from: string = binding.version ?? '';
	const { versions, room, firmwareLine } = source.model!;
	const way = wayTo(versions, source.images, room, from, target);
	if (!way.ok) return refuse(way.why);
	if (way.path.length === 0) return refuse(`It runs ${target} already.`);
	if (isOlder(versions, target, from) && !actor.reason)
		return refuse(`${target} is older than ${from}, which it runs. Say why it is to go back.`);
	const allowed = await mayBeDisrupted(trx, unit.siteId, { reason: actor.reason ?? null, asked });
	if (!allowed.ok) return allowed;
	const flashId = uuid();
	const errandId = await askErrand(trx, { unitId, kind: 'flash' });
	await trx('flash').insert({
		id: flashId,
		unit_id: unitId,
		position_id: unit.positionId,
		customer_id: unit.customerId,
		run_id: binding.runId,
		from_version: from,
		path: way.path,
		errand_id: errandId,
		asked_by: actor.name,
		reason: actor.reason ?? null
	});
	const steps = way.path.length === 1 ? '' : `, over ${way.path.slice(0, -1).join(', ')}`;
	await enterInLedger(trx, actor, [
		{
			act: 'flash',
			customerId: unit.customerId,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${unit.serial} at ${unit.positionName}, ${unit.siteName} is brought from firmware ${from} to ${firmwareLine} ${target}${steps}.${allowed.done}`,
			detail: { flashId, from, path: way.path }
		}
	]);
	await notify(trx, 'sends', unit.customerId, [flashId]);
	return done(flashId);
}

/** What a change of a unit's firmware would be, for somebody to look at before. */
export interface FlashAhead {
	readonly from: string;
	/** What it is to run by its plan. */
	readonly wanted: string | null;
	/** What was asked about: that, unless another was named. */
	readonly target: string | null;
	/** Each version that it goes over, the wanted one last; null with the reason where it cannot. */
	readonly path: readonly string[] | null;
	readonly why: string | null;
	readonly isBack: boolean;
	/** Versions that there is an image of, newest first. */
	readonly versions: readonly string[];
}

/** Which way a bound unit would take to its target, or to another version. Null when it is not bound or no pack says how. */
export async function flashAhead(unitId: string, to: string | null): Promise<FlashAhead | null> {
	const unit = await boundUnit(unitId);
	if (!unit || !(await talkOf(unit.makerId, unit.modelId))?.flash) return null;
	const [source, row] = await Promise.all([
		renderingSources(database(), [unit.positionId]).then((all) => all.get(unit.positionId)),
		database()('unit').where({ id: unitId }).first('reported_version as version')
	]);
	if (!source?.model) return null;
	const from: string = row?.version ?? '';
	const target = to ?? source.targetVersion;
	const { versions, room } = source.model;
	const way = target === null ? null : wayTo(versions, source.images, room, from, target);
	const rank = (version: string) => versions.findIndex((one) => one.version === version);
	return {
		from,
		wanted: source.targetVersion,
		target,
		path: way?.ok ? way.path : null,
		why: way && !way.ok ? way.why : null,
		isBack: target !== null && isOlder(versions, target, from) === true,
		versions: [...source.images]
			.filter(([, { withdrawn }]) => withdrawn === null)
			.map(([version]) => version)
			.sort((a, b) => rank(b) - rank(a))
	};
}
