import { askErrand } from '../connections';
import { BOOTSTRAP, database } from '../database';
import { onJob } from '../jobs';
import { eventsAreKept, READ_CHANGED } from './keep';
import { startReceiving, stopReceiving } from './receive';

export { eventCounts } from './count';
export { EVENTS_AT_ONCE, events, whoConfigured, type StoredEvent } from './store';
export { noteName } from './who';

/** From now on what units say is received, and one that says it was configured is read. */
export async function startEvents(): Promise<void> {
	onJob(READ_CHANGED, BOOTSTRAP, ({ unit }) => readChanged(unit!));
	await startReceiving();
}

export async function stopEvents(): Promise<void> {
	stopReceiving();
	await eventsAreKept();
}

/** Of a unit in service; one with a send under way is read by that. */
async function readChanged(unitId: string): Promise<void> {
	await database().transaction(async (trx) => {
		const { rows } = await trx.raw(
			`select from binding join run on run.id = binding.run_id and run.outcome = 'through'
			where binding.unit_id = :unitId and not exists (select from send where send.unit_id = :unitId and send.ended_at is null)`,
			{ unitId }
		);
		if (rows.length > 0) await askErrand(trx, { unitId, kind: 'read', why: 'said', ifConnected: true });
	});
}
