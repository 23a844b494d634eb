import type { Knex } from 'knex';
import type { IntakeRow, JudgedRow } from '../../../core/intake';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { notify } from '../live';
import { askFor } from './registries';

/** Rows of a batch that were handed back, and come again. */
export interface Mending {
	readonly batchId: string;
	/** The row that is mended; null when the whole list comes again. */
	readonly ordinal: number | null;
}

/**
 * Rows that come again stand on the lines of those they come in place of; when they are not as many, on
 * lines behind all others.
 */
export async function inPlaceOf(
	trx: Knex,
	batchId: string,
	lines: readonly number[],
	rows: readonly IntakeRow[]
): Promise<readonly IntakeRow[]> {
	if (lines.length === rows.length) return rows.map((row, index) => ({ ...row, line: lines[index]! }));
	const present = await trx('batch_line').where({ batch_id: batchId }).max('line as last').first();
	const from = Math.max(Number(present?.last ?? 0), ...lines.slice(-1));
	return rows.map((row, index) => ({ ...row, line: from + index + 1 }));
}

/** Settles the rows that are mended or dropped, and returns their lines; refused when somebody else did it first. */
export async function settleRows(
	trx: Knex,
	customerId: string,
	{ batchId, ordinal }: Mending,
	actor: Actor
): Promise<Act<readonly number[]>> {
	const batch = await trx('batch').where({ id: batchId, customer_id: customerId }).forUpdate().first('id');
	if (!batch || !actor.may('claim', customerId)) return refuse('There is no such batch.');
	const open = trx('batch_row').where({ batch_id: batchId }).whereNotNull('raw').whereNull('settled_at');
	const settled: { line: number }[] = await (ordinal === null ? open : open.where({ ordinal }))
		.update({ settled_at: trx.fn.now(), raw: null })
		.returning('line');
	return settled.length === 0 && ordinal !== null
		? refuse('Somebody else has mended or dropped this row already.')
		: done(settled.map(({ line }) => line).sort((a, b) => a - b));
}

/** Drops a row that was handed back: it is not wanted. */
export async function dropRow(
	customerId: string,
	batchId: string,
	ordinal: number,
	actor: Actor
): Promise<Act> {
	return database().transaction(async (trx) => {
		const settled = await settleRows(trx, customerId, { batchId, ordinal }, actor);
		if (!settled.ok) return settled;
		await enterInLedger(trx, actor, [
			{
				act: 'drop row',
				customerId,
				subjectKind: 'batch',
				subjectId: batchId,
				words: `Row ${ordinal} was dropped.`
			}
		]);
		await notify(trx, 'units', customerId);
		return done(undefined);
	});
}

/** What a registry had refused, or was given up, and comes again is asked for again, perhaps with another claim code. */
export async function askAgainForRefused(
	trx: Knex,
	customerId: string,
	judged: readonly JudgedRow[]
): Promise<void> {
	const ours = judged.filter(({ verdict, claimCode }) => verdict === 'already-ours' && claimCode !== null);
	if (ours.length === 0) return;
	const codes = new Map(ours.map(({ serial, claimCode }) => [serial, claimCode!]));
	const again: { id: string; serial: string; ownership: string }[] = await trx('unit')
		.where({ customer_id: customerId })
		.whereIn('ownership', ['refused', 'released'])
		.whereIn('serial', [...codes.keys()])
		.forUpdate()
		.select('id', 'serial', 'ownership');
	await askFor(
		trx,
		again.map(({ id, serial }) => ({ id, claimCode: codes.get(serial)! }))
	);
	// It comes back as if it were new
	await trx('unit')
		.whereIn(
			'id',
			again.filter(({ ownership }) => ownership === 'released').map(({ id }) => id)
		)
		.update({ out_of_service_at: null, out_of_service_why: null, replaced_by: null });
}
