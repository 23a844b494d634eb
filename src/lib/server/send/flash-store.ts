import type { Knex } from 'knex';
import {
	afterFlash,
	flashHasEnded,
	flashTitle,
	flashWords,
	targetOf,
	type Flash,
	type FlashEvent,
	type FlashState
} from '../../../core/firmware';
import { database } from '../database';
import { enterInLedger, LIMEN } from '../ledger';
import { notify } from '../live';
import { isStillDoneBy, type Fence } from './store';

/** A flash with all that is needed to go on with it. */
export interface StoredFlash {
	readonly id: string;
	readonly unitId: string;
	readonly positionId: string;
	readonly customerId: string;
	readonly serial: string;
	readonly firmwareLine: string;
	readonly flash: Flash;
	readonly percent: number | null;
	/** The connection over which the last step was said; null before the first. */
	readonly session: string | null;
}

/** A flash as people see it. */
export interface ShownFlash extends Pick<StoredFlash, 'id' | 'flash' | 'percent'> {
	readonly askedBy: string;
	readonly askedAt: Date;
	readonly endedAt: Date | null;
	readonly reason: string | null;
}

interface Row extends Omit<StoredFlash, 'flash'> {
	readonly state: FlashState;
	readonly from_version: string;
	readonly path: readonly string[];
	readonly at: number;
	readonly said_at: Date | null;
	readonly refusal: string | null;
}
const flashOf = ({ state, from_version, path, at, said_at, refusal }: Row): Flash => ({
	state,
	from: from_version,
	path,
	at,
	saidAt: said_at?.getTime() ?? null,
	refusal
});

const flashes = (knex: Knex) =>
	knex('flash')
		.join('unit', 'unit.id', 'flash.unit_id')
		.join('model', 'model.id', 'unit.model_id')
		.select(
			'flash.*',
			'flash.unit_id as unitId',
			'position_id as positionId',
			'flash.customer_id as customerId',
			'serial',
			'firmware_line as firmwareLine'
		);
const stored = (row: Row): StoredFlash => ({ ...row, flash: flashOf(row) });

/** The flash of a unit that has not ended; null when there is none. */
export async function openFlash(unitId: string, knex: Knex = database()): Promise<StoredFlash | null> {
	const row: Row | undefined = await flashes(knex)
		.where('flash.unit_id', unitId)
		.whereNull('flash.ended_at')
		.first();
	return row ? stored(row) : null;
}

/** So long after it was told to fetch or install a unit is looked at again. */
const LOOK_SECONDS: Readonly<Partial<Record<FlashState, number>>> = { fetching: 2, installing: 10 };

/**
 * Records what is about to be said or was found, as core's `afterFlash` says, with a ledger entry where it ends. Rejects
 * when the errand is no longer its process's to do.
 */
export async function recordFlash(
	id: string,
	event: FlashEvent,
	fence: Fence | null,
	settles: number
): Promise<Flash> {
	return database().transaction(async (trx) => {
		const row: Row | undefined = await flashes(trx)
			.where('flash.id', id)
			.whereNull('flash.ended_at')
			.forUpdate('flash')
			.first();
		if (!row) throw new Error('This change of firmware has ended.');
		if (fence) await isStillDoneBy(trx, fence);
		const after = afterFlash(flashOf(row), event, settles);
		const isOver = flashHasEnded(after.state);
		const isSaid = event.kind === 'fetch said' || event.kind === 'install said';
		await trx('flash')
			.where({ id })
			.update({
				state: after.state,
				at: after.at,
				said_at: after.saidAt === null ? null : new Date(after.saidAt),
				refusal: after.refusal?.slice(0, 20_000) ?? null,
				look_at: trx.raw(`now() + make_interval(secs => ?)`, [LOOK_SECONDS[after.state] ?? 0]),
				ended_at: isOver ? trx.raw('clock_timestamp()') : null,
				...(isSaid && { session: fence?.session ?? null, percent: null })
			});
		if (event.kind === 'runs')
			await trx('unit').where({ id: row.unitId }).update({ reported_version: event.version });
		if (isOver)
			await enterInLedger(trx, LIMEN, [
				{
					act: 'flash ended',
					customerId: row.customerId,
					subjectKind: 'unit',
					subjectId: row.unitId,
					words: `Unit ${row.serial}, firmware ${targetOf(after)}: ${flashTitle(after.state)}. ${flashWords(after.state)}${after.state === 'done' || !after.refusal ? '' : ` ${after.refusal.slice(0, 300)}`}`,
					detail: { flashId: id, state: after.state },
					result: after.state === 'refused' ? 'refused' : 'done'
				}
			]);
		await notify(trx, 'sends', row.customerId, [id]);
		return after;
	});
}

/** How much of the image has arrived, and when to look again. */
export async function noteArriving({ id, customerId }: StoredFlash, percent: number | null): Promise<void> {
	await database().transaction(async (trx) => {
		await trx('flash')
			.where({ id, state: 'fetching' })
			.update({
				percent,
				look_at: trx.raw(`now() + make_interval(secs => ?)`, [LOOK_SECONDS.fetching!])
			});
		await notify(trx, 'sends', customerId, [id]);
	});
}

/** The flashes of a unit, newest first. */
export async function flashesOf(unitId: string, limit = 20): Promise<ShownFlash[]> {
	const rows: (Row & { asked_by: string; asked_at: Date; ended_at: Date | null; reason: string | null })[] =
		await flashes(database()).where('flash.unit_id', unitId).orderBy('asked_at', 'desc').limit(limit);
	return rows.map((row) => ({
		id: row.id,
		flash: flashOf(row),
		percent: row.percent,
		askedBy: row.asked_by,
		askedAt: row.asked_at,
		endedAt: row.ended_at,
		reason: row.reason
	}));
}
