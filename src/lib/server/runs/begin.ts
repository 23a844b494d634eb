import { timeNow } from '../database';
import type { Knex } from 'knex';
import { v7 as uuid } from 'uuid';
import { recordAll } from './record';

export interface RunPlace {
	readonly unit_id: string;
	readonly position_id: string;
	readonly customer_id: string;
}

/** Begins the next run at a position and makes it the binding's. The binding must be locked by the caller. */
export async function nextRun(trx: Knex, place: RunPlace): Promise<string> {
	const id = await insertRun(trx, place);
	await trx('binding').where({ position_id: place.position_id }).update({ run_id: id });
	return id;
}

/** A new run, numbered after those the position had before. */
export async function insertRun(trx: Knex, { unit_id, position_id, customer_id }: RunPlace): Promise<string> {
	const id = uuid();
	await trx.raw(
		`insert into run (id, unit_id, position_id, customer_id, number)
		select ?, ?, ?, ?, coalesce(max(number), 0) + 1 from run where position_id = ?`,
		[id, unit_id, position_id, customer_id, position_id]
	);
	return id;
}

/** Cancels a run when it is still open. */
export async function endRun(
	trx: Knex,
	{ run_id, outcome }: { readonly run_id: string; readonly outcome: string },
	words: string
): Promise<void> {
	if (outcome === 'open')
		await recordAll(trx, [{ runId: run_id, event: { kind: 'cancel', at: timeNow() }, words }]);
}
