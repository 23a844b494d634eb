import type { Knex } from 'knex';
import { NO_RULES, type Dialect, type DialectRules } from '../../../core/config';
import {
	afterSend,
	sendHasEnded,
	sendTitle,
	sendWords,
	settledAt,
	type Send,
	type SendEvent,
	type SendState,
	type Terms
} from '../../../core/send';
import { database, timeNow } from '../database';
import { unseal } from '../keys';
import { enterInLedger, LIMEN } from '../ledger';
import { notify } from '../live';

/** So long after its timer a unit may still be on its way back. */
const GRACE_MS = 30_000;
/** A reading that told nothing is not repeated at once. */
const LOOK_AGAIN_MS = 30_000;

/** A send with all that is needed to go on with it. */
export interface StoredSend {
	readonly id: string;
	readonly unitId: string;
	readonly positionId: string;
	readonly customerId: string;
	readonly serial: string;
	readonly send: Send;
	readonly terms: Terms;
	readonly token: string;
	readonly discards: boolean;
	readonly intended: string;
	readonly before: string;
	readonly dialect: Dialect;
	readonly rules: DialectRules;
	/** The connection over which it was set off; null before. */
	readonly session: string | null;
	/** What it shares with sends that are confirmed with it or not at all. */
	readonly together: string | null;
}

interface Row {
	readonly id: string;
	readonly unit_id: string;
	readonly position_id: string;
	readonly customer_id: string;
	readonly serial: string;
	readonly state: SendState;
	readonly committed_at: Date | null;
	readonly found: NonNullable<Send['found']>['finds'] | null;
	readonly found_at: Date | null;
	readonly found_anew: boolean | null;
	readonly confirm_answered: boolean;
	readonly back_answered: boolean;
	readonly refusal: string | null;
	readonly timer_ms: number;
	readonly token: string;
	readonly discards: boolean;
	readonly intended: string;
	readonly before: string;
	readonly dialect: Dialect;
	readonly rules: Partial<DialectRules>;
	readonly session: string | null;
	readonly together: string | null;
}

const sendOf = (row: Omit<Row, 'id' | 'dialect' | 'rules'>): Send => ({
	state: row.state,
	committedAt: row.committed_at?.getTime() ?? null,
	found: row.found && { finds: row.found, at: row.found_at!.getTime(), anew: row.found_anew! },
	isConfirmAnswered: row.confirm_answered,
	isBackAnswered: row.back_answered,
	refusal: row.refusal
});
const termsOf = ({ timer_ms }: Pick<Row, 'timer_ms'>): Terms => ({
	timer: timer_ms,
	grace: GRACE_MS
});

const openSends = (trx: Knex) =>
	trx('send')
		.join('unit', 'unit.id', 'send.unit_id')
		.join('model', 'model.id', 'unit.model_id')
		.whereNull('send.ended_at')
		.select(
			'send.*',
			'serial',
			'dialect',
			'dialect_rules as rules',
			trx.raw('(extract(epoch from timer) * 1000)::float8 as timer_ms')
		);

const opened = (row: Row): StoredSend => ({
	id: row.id,
	unitId: row.unit_id,
	positionId: row.position_id,
	customerId: row.customer_id,
	serial: row.serial,
	send: sendOf(row),
	terms: termsOf(row),
	token: row.token,
	discards: row.discards,
	intended: unseal(row.intended),
	before: unseal(row.before),
	dialect: row.dialect,
	rules: { ...NO_RULES, ...row.rules },
	session: row.session,
	together: row.together
});

/** The send of a unit that has not ended; null when there is none. */
export async function openSend(unitId: string): Promise<StoredSend | null> {
	const row = (await openSends(database()).where('send.unit_id', unitId).first()) as Row | undefined;
	return row ? opened(row) : null;
}

/** The other sends that are confirmed with one or not at all, each with its unit. */
export async function sendsTogether({
	id,
	together
}: Pick<StoredSend, 'id' | 'together'>): Promise<
	readonly { readonly unitId: string; readonly send: Send }[]
> {
	if (together === null) return [];
	const rows: Row[] = await database()('send').where({ together }).whereNot({ id }).select('*');
	return rows.map((row) => ({ unitId: row.unit_id, send: sendOf(row) }));
}

/** Who records: the errand that is at it, while the connection lasts over which it was claimed. */
export interface Fence {
	readonly errandId: string;
	readonly session: string;
}

/** Rejects when an errand is no longer that of the process that claimed it. */
export async function isStillDoneBy(trx: Knex, { errandId, session }: Fence): Promise<void> {
	const mine = await trx('errand').where({ id: errandId, session, state: 'under way' }).first('id');
	if (!mine) throw new Error('Another process has taken this over.');
}

/**
 * Records what is about to be said or has happened, as core's `afterSend` says, with a ledger entry where it ends; what
 * must be known after a kill is known once this resolves. Rejects when the errand is no longer its process's to do.
 */
export async function record(sendId: string, event: SendEvent, fence: Fence | null): Promise<Send> {
	return database().transaction(async (trx) => {
		const row = (await openSends(trx).where('send.id', sendId).forUpdate('send').first()) as Row | undefined;
		if (!row) throw new Error('This send has ended.');
		if (fence) await isStillDoneBy(trx, fence);
		const [before, terms] = [sendOf(row), termsOf(row)];
		const after = afterSend(before, event, terms);
		const isOver = sendHasEnded(after.state);
		// What counts as another connection is counted from where it was set off, or first seen to be
		const isSetOff = event.kind === 'commit said' || (after.found?.anew === false && event.kind === 'read');
		await trx('send')
			.where({ id: sendId })
			.update({
				state: after.state,
				committed_at: after.committedAt === null ? null : new Date(after.committedAt),
				found: after.found?.finds ?? null,
				found_at: after.found ? new Date(after.found.at) : null,
				found_anew: after.found?.anew ?? null,
				confirm_answered: after.isConfirmAnswered,
				back_answered: after.isBackAnswered,
				refusal: after.refusal?.slice(0, 20_000) ?? null,
				look_at: isOver || after.committedAt === null ? null : lookAt(after, terms),
				ended_at: isOver ? trx.fn.now() : null,
				...(isSetOff && fence && { session: fence.session })
			});
		if (isOver)
			await enterInLedger(trx, LIMEN, [
				{
					act: 'send ended',
					customerId: row.customer_id,
					subjectKind: 'unit',
					subjectId: row.unit_id,
					words: `Unit ${row.serial}, ${sendTitle(after.state)}. ${sendWords(after.state)}${after.state === 'confirmed' || !after.refusal ? '' : ` ${after.refusal.slice(0, 300)}`}`,
					detail: { sendId, state: after.state },
					result: after.state === 'refused' ? 'refused' : 'done'
				}
			]);
		await notify(trx, 'sends', row.customer_id, [sendId]);
		return after;
	});
}

const lookAt = (send: Send, terms: Terms): Date =>
	new Date(Math.max(settledAt(send, terms) + 1_000, timeNow() + LOOK_AGAIN_MS));

/** A send as people see it. */
export interface ShownSend {
	readonly id: string;
	readonly send: Send;
	readonly terms: Terms;
	readonly askedBy: string;
	readonly askedAt: Date;
	readonly endedAt: Date | null;
	readonly reason: string | null;
}

/** The sends of a unit, newest first. */
export async function sendsOf(unitId: string, limit = 20): Promise<ShownSend[]> {
	const rows = await database()('send')
		.where({ unit_id: unitId })
		.orderBy('asked_at', 'desc')
		.limit(limit)
		.select('*', database().raw('(extract(epoch from timer) * 1000)::float8 as timer_ms'));
	return rows.map((row) => ({
		id: row.id,
		send: sendOf(row),
		terms: termsOf(row),
		askedBy: row.asked_by,
		askedAt: row.asked_at,
		endedAt: row.ended_at,
		reason: row.reason
	}));
}
