import { randomUUID } from 'node:crypto';
import { v7 as uuid } from 'uuid';
import { timerOf, type SendRule } from '../../../core/pack';
import type { Knex } from 'knex';
import { done, refuse, type Act } from '../act';
import { changing } from '../change';
import { askErrand, latestReading, readingById, type Reading } from '../connections';
import { apartFromTransaction, database, timeNow } from '../database';
import { seal } from '../keys';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { talkOf } from '../packs';
import { mayBeDisrupted } from '../windows';
import { openFlash } from './flash-store';
import { DUE, plannedFor, type Planned, type Wanted } from './planned';

/** What somebody decided to send, after having looked at it. */
export interface Sending {
	/** What is due, unless something else was looked at. */
	readonly wanted?: Wanted;
	/** The reading that it was compared with. */
	readonly reading: string;
	readonly fingerprint: string;
	/** What somebody loaded at the unit and did not set off is thrown away first. */
	readonly discards: boolean;
	/** The site's contact was asked, where that is to be done first. */
	readonly asked: boolean;
	/** What it shares with sends that are confirmed with it or not at all. */
	readonly together?: string | undefined;
}
/** What was read so long ago is looked at again before anything is sent. */
const FRESH_MS = 30 * 60_000;

/**
 * Sends a unit what somebody wants it to run, as a confirmed send. Whoever may send at the customer may. Refused: a unit without a
 * position or still on its way, or with a send under way; a model whose pack does not say how; what has changed since it
 * was looked at; what cannot be computed or would strand the unit; outside the site's windows without a reason.
 */
export async function beginSend(
	unitId: string,
	sending: Sending,
	actor: Actor
): Promise<Act<{ readonly sendId: string }>> {
	const unit = await boundUnit(unitId);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId)) return refuse('You may not send to units of this customer.');
	const rule = (await talkOf(unit.makerId, unit.modelId))?.send;
	if (!rule) return refuse(cannotBeSent(unit.modelName));
	const reading = await readingById(unitId, sending.reading);
	if (reading?.kind !== 'configuration' || reading.at.getTime() < timeNow() - FRESH_MS)
		return refuse('Look first at what it runs now; what you looked at is too old.');
	const wanted = sending.wanted ?? DUE;
	const planned = await plannedFor(database(), unitId, unit.positionId, wanted, reading);
	if (!planned.ok) return planned;
	if (planned.done.fingerprint !== sending.fingerprint)
		return refuse('What is to be sent has changed since you looked. Look again before you send.');
	return changing(
		(trx) => takeUp(trx, unit, { ...sending, wanted, planned: planned.done, rule, reading }, actor),
		WORDS
	);
}

interface TakenUp extends Pick<Sending, 'discards' | 'asked' | 'together'> {
	readonly wanted: Wanted;
	readonly planned: Planned;
	readonly rule: SendRule;
	readonly reading: Reading;
}

/** Takes a send up in a transaction; its unit is asked for when that commits. */
async function takeUp(
	trx: Knex,
	unit: BoundUnit,
	{ wanted, planned, rule, reading, discards, asked, together }: TakenUp,
	actor: Actor
): Promise<Act<{ readonly sendId: string }>> {
	const { unitId } = unit;
	const binding = await trx('binding')
		.join('run', 'run.id', 'binding.run_id')
		.where({ 'binding.unit_id': unitId, 'binding.position_id': unit.positionId })
		.forUpdate('binding')
		.first('run.id as runId', 'outcome');
	if (!binding) return refuse('This unit is no longer bound here.');
	if (binding.outcome === 'open')
		return refuse('This unit is still on its way online; what it should run it is given there.');
	if (await openFlash(unitId, trx)) return refuse(WORDS.one_flash_at_a_time);
	const allowed = await mayBeDisrupted(trx, unit.siteId, { reason: actor.reason ?? null, asked });
	if (!allowed.ok) return allowed;
	const sendId = uuid();
	const errandId = await askErrand(trx, { unitId, kind: 'send' });
	await trx('send').insert({
		id: sendId,
		unit_id: unitId,
		position_id: unit.positionId,
		customer_id: unit.customerId,
		run_id: binding.runId,
		kind: wanted.kind,
		revision_id: planned.source.revision?.id ?? null,
		intended: seal(planned.text),
		before: seal(reading.content),
		checks: planned.checks && seal(planned.checks),
		timer: `${timerOf(rule)} milliseconds`,
		token: randomUUID(),
		discards,
		together: together ?? null,
		errand_id: errandId,
		asked_by: actor.name,
		reason: actor.reason ?? null
	});
	await enterInLedger(trx, actor, [
		{
			act: 'send',
			customerId: unit.customerId,
			subjectKind: 'unit',
			subjectId: unitId,
			words: `Unit ${unit.serial} at ${unit.positionName}, ${unit.siteName} is sent ${planned.words}.${allowed.done}`,
			detail: { sendId, positionId: unit.positionId, kind: wanted.kind }
		}
	]);
	await notify(trx, 'sends', unit.customerId, [sendId]);
	return done({ sendId });
}

/**
 * Puts findings of one unit right, as somebody decided for many: made of what it was read to run last, which the send
 * itself looks at again before anything is changed. In the transaction of that work; whoever may send at the customer may.
 */
export async function putRightAt(
	trx: Knex,
	unitId: string,
	{ findings, asked }: { readonly findings: readonly string[] } & Pick<Sending, 'asked'>,
	actor: Actor
): Promise<Act<string>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId)) return refuse('You may not send to units of this customer.');
	const differing = await trx('finding')
		.whereIn('id', [...findings])
		.whereNot({ kind: 'unsaved' })
		.first('id');
	if (!differing) return haveSaved(trx, unit, actor);
	const taken = await sendTo(trx, unit, { wanted: { kind: 'part', findings }, asked }, actor);
	return taken.ok ? done('Taken up; it goes on by itself.') : taken;
}

/**
 * Sends a unit what is wanted, made of what it was read to run last, which the send itself looks at again before anything
 * is changed. In the transaction of work on many; whoever may send at the customer may. Refused as `beginSend` refuses.
 */
export async function sendAt(
	trx: Knex,
	unitId: string,
	sending: ToSend,
	actor: Actor
): Promise<Act<{ readonly sendId: string }>> {
	const unit = await boundUnit(unitId, trx);
	if (!unit) return refuse('This unit is bound to no position.');
	if (!actor.may('send', unit.customerId)) return refuse('You may not send to units of this customer.');
	return sendTo(trx, unit, sending, actor);
}

/**
 * Sends several units what is wanted, in sends that are confirmed together or not at all; by unit, the id of its send. As
 * `sendAt`. What each is sent is computed before the first is taken up: from then on the ledger waits.
 */
export async function sendTogether(
	trx: Knex,
	unitIds: readonly string[],
	sending: ToSend,
	actor: Actor
): Promise<Act<ReadonlyMap<string, string>>> {
	const ready: (readonly [BoundUnit, TakenUp])[] = [];
	for (const unitId of unitIds) {
		const unit = await boundUnit(unitId, trx);
		if (!unit) return refuse('This unit is bound to no position.');
		if (!actor.may('send', unit.customerId)) return refuse('You may not send to units of this customer.');
		const prepared = await prepare(trx, unit, sending);
		if (!prepared.ok) return prepared;
		ready.push([unit, prepared.done]);
	}
	const sent = new Map<string, string>();
	for (const [unit, prepared] of ready) {
		const taken = await takeUp(trx, unit, prepared, actor);
		if (!taken.ok) return taken;
		sent.set(unit.unitId, taken.done.sendId);
	}
	return done(sent);
}
type ToSend = { readonly wanted: Wanted } & Pick<Sending, 'asked' | 'together'>;

async function sendTo(
	trx: Knex,
	unit: BoundUnit,
	sending: ToSend,
	actor: Actor
): Promise<Act<{ readonly sendId: string }>> {
	const prepared = await prepare(trx, unit, sending);
	return prepared.ok ? takeUp(trx, unit, prepared.done, actor) : prepared;
}

async function prepare(trx: Knex, unit: BoundUnit, sending: ToSend): Promise<Act<TakenUp>> {
	const rule = (await apartFromTransaction(() => talkOf(unit.makerId, unit.modelId)))?.send;
	if (!rule) return refuse(cannotBeSent(unit.modelName));
	const reading = await latestReading(unit.unitId, 'configuration', trx);
	if (!reading) return refuse('What it runs was not read yet.');
	const planned = await plannedFor(trx, unit.unitId, unit.positionId, sending.wanted, reading);
	if (!planned.ok) return planned;
	return done({ ...sending, planned: planned.done, rule, reading, discards: false });
}

/** A unit starts with what it runs from now on. Interrupts nothing, so no window is asked for. */
async function haveSaved(trx: Knex, unit: BoundUnit, actor: Actor): Promise<Act<string>> {
	const errand = await askErrand(trx, { unitId: unit.unitId, kind: 'save', ifConnected: true });
	if (errand === null) return refuse('The unit is not connected at this moment.');
	await askErrand(trx, { unitId: unit.unitId, kind: 'read', why: 'send', ifConnected: true });
	await enterInLedger(trx, actor, [
		{
			act: 'save configuration',
			customerId: unit.customerId,
			subjectKind: 'unit',
			subjectId: unit.unitId,
			words: `Unit ${unit.serial} at ${unit.positionName}, ${unit.siteName} is told to start with what it runs.`
		}
	]);
	return done('It is told to start with what it runs.');
}

/** By the database's constraints. */
export const WORDS = {
	one_send_at_a_time: 'A send to this unit is under way already.',
	one_flash_at_a_time: 'A change of this unit’s firmware is under way already.'
};
export const cannotBeSent = (model: string): string =>
	`The pack of ${model} does not say how a configuration is sent to a unit that is online.`;
/** A bound unit, as far as sending to it goes. */
interface BoundUnit {
	readonly unitId: string;
	readonly serial: string;
	readonly positionId: string;
	readonly positionName: string;
	readonly siteId: string;
	readonly siteName: string;
	readonly customerId: string;
	readonly makerId: string;
	readonly modelId: string;
	readonly modelName: string;
}
export const boundUnit = (unitId: string, knex: Knex = database()): Promise<BoundUnit | undefined> =>
	knex('binding')
		.join('unit', 'unit.id', 'binding.unit_id')
		.join('model', 'model.id', 'unit.model_id')
		.join('position', 'position.id', 'binding.position_id')
		.join('site', 'site.id', 'position.site_id')
		.where('binding.unit_id', unitId)
		.first(
			'binding.unit_id as unitId',
			'serial',
			'position.id as positionId',
			'position.name as positionName',
			'site.id as siteId',
			'site.name as siteName',
			'binding.customer_id as customerId',
			'unit.maker_id as makerId',
			'unit.model_id as modelId',
			'model.name as modelName'
		);
