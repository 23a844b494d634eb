import type { Knex } from 'knex';

/**
 * Wants a job done when the transaction commits, and not at all when it does not. What it is about is said by
 * ids alone: the queue's tables stand behind no wall of ours. The same `key` that waits already is moved to
 * the new time instead of waiting twice; one that is under way is done once more.
 */
export async function enqueue(
	trx: Knex,
	task: string,
	about: Readonly<Record<string, string>>,
	{ key, due = null }: { readonly key: string; readonly due?: Date | null }
): Promise<void> {
	await trx.raw('select limen_jobs.enqueue(?, ?::json, ?::timestamptz, ?)', [
		task,
		JSON.stringify(about),
		due,
		key
	]);
}
