import { NO_ROWS, type BatchCounts, type ShownVerdict } from '../../../core/intake';
import { database } from '../database';
import { unseal } from '../keys';
import type { Ownership } from './store';

/** A batch as it stands now: each row with what came of it, and those that wait to be mended. */
export interface BatchLine {
	readonly ordinal: number | null;
	readonly line: number;
	readonly serial: string;
	readonly verdict: ShownVerdict;
	readonly reason: string;
	readonly unitId: string | null;
	/** The row as it was given, while it waits to be mended; for whoever may mend it. */
	readonly raw: string | null;
	readonly mac: string | null;
	/** Where its unit is bound now. */
	readonly place: string | null;
}
export interface Batch {
	readonly id: string;
	readonly customerId: string;
	readonly customerName: string;
	readonly takenAt: Date;
	readonly takenBy: string;
	readonly counts: BatchCounts;
	readonly lines: readonly BatchLine[];
}

const MOST_LINES = 20_000;

/** Whose a batch is, and the headings it was given with. */
export async function batchHead(
	id: string
): Promise<{ readonly customerId: string; readonly heading: string | null } | null> {
	const batch = await database()('batch').where({ id }).first('customer_id', 'heading');
	return batch ? { customerId: batch.customer_id, heading: batch.heading && unseal(batch.heading) } : null;
}

/** A batch with its rows, those that need somebody first. Rows are opened only for whoever may mend them. */
export async function batchById(id: string, mayMend: boolean, limit = MOST_LINES): Promise<Batch | null> {
	const batch = await database()('batch')
		.join('customer', 'customer.id', 'customer_id')
		.where('batch.id', id)
		.first('batch.*', 'customer.name as customer');
	if (!batch) return null;
	const [counts, { rows }] = await Promise.all([
		countsOf([id]),
		database().raw(
			`select l.ordinal, l.line, l.serial, l.outcome as verdict, l.reason, l.unit_id as "unitId", l.mac::text as mac,
				site.name || ', ' || position.name as place, batch_row.raw
			from batch_line l
			left join batch_row on batch_row.batch_id = l.batch_id and batch_row.ordinal = l.ordinal
			left join binding on binding.unit_id = l.unit_id
			left join position on position.id = binding.position_id left join site on site.id = position.site_id
			where l.batch_id = ? order by array_position(?::text[], l.outcome), l.line, l.ordinal limit ?`,
			[id, [...URGENT_FIRST], limit]
		)
	]);
	return {
		id,
		customerId: batch.customer_id,
		customerName: batch.customer,
		takenAt: batch.taken_at,
		takenBy: batch.taken_by,
		counts: counts.get(id) ?? NO_ROWS,
		lines: (rows as BatchLine[]).map((line) => ({
			...line,
			raw: line.raw !== null && mayMend ? unseal(line.raw) : null
		}))
	};
}

/** What needs somebody, then what is under way, then the rest. */
const URGENT_FIRST: readonly ShownVerdict[] = [
	'registry-refused', 'refused', 'malformed', 'unknown-model', 'asked', 'claimed', 'already-ours', 'repeated'
]; // prettier-ignore

/** What has come of the rows of some batches, by batch. */
export async function countsOf(batchIds: readonly string[]): Promise<ReadonlyMap<string, BatchCounts>> {
	const { rows } = await database().raw(
		`select batch_id as id, outcome, count(*)::int from batch_line where batch_id = any(?::uuid[]) group by 1, 2`,
		[[...batchIds]]
	);
	const counts = new Map<string, Record<ShownVerdict, number>>();
	for (const { id, outcome, count } of rows as { id: string; outcome: ShownVerdict; count: number }[])
		counts.set(id, { ...(counts.get(id) ?? NO_ROWS), [outcome]: count });
	return counts;
}

/** Batches with rows that nobody has mended yet, the newest first. */
export async function openBatches(
	customerId: string | null,
	limit: number
): Promise<readonly { id: string; customerName: string; takenAt: Date; takenBy: string; open: number }[]> {
	const { rows } = await database().raw(
		`select batch.id, customer.name as "customerName", taken_at as "takenAt", taken_by as "takenBy", count(*)::int as open
		from batch_row join batch on batch.id = batch_id join customer on customer.id = batch.customer_id
		where raw is not null and settled_at is null and (?::uuid is null or batch_row.customer_id = ?::uuid)
		group by batch.id, customer.id order by taken_at desc limit ?`,
		[customerId, customerId, limit]
	);
	return rows;
}

/** What has come of a batch by now. */
export interface BatchProgress {
	readonly counts: BatchCounts;
	/** Units that a registry has not decided on, the first lines first; not all of a very long batch. */
	readonly waiting: readonly string[];
}
const MOST_WAITING = 1000;

export async function batchProgress(batchId: string): Promise<BatchProgress> {
	const [counts, waiting] = await Promise.all([
		countsOf([batchId]),
		database()('batch_line')
			.where({ batch_id: batchId, outcome: 'asked' })
			.orderBy('line')
			.limit(MOST_WAITING)
			.pluck('unit_id')
	]);
	return { counts: counts.get(batchId) ?? NO_ROWS, waiting };
}

/** What the makers say of a batch's units, by the unit's id. */
export const ownershipOf = async (batchId: string): Promise<ReadonlyMap<string, Ownership>> =>
	new Map(
		(await database()('unit').where({ batch_id: batchId }).select('id', 'ownership')).map((unit) => [
			unit.id,
			unit.ownership
		])
	);

/** A batch in a list. */
export interface BatchRow {
	readonly id: string;
	readonly takenAt: Date;
	readonly customerId: string;
	readonly customerName: string;
	readonly counts: BatchCounts;
}

/** The newest batches, with what has come of each by now. */
export async function recentBatches(customerId: string | null, limit: number): Promise<BatchRow[]> {
	const query = database()('batch')
		.join('customer', 'customer.id', 'customer_id')
		.orderBy('taken_at', 'desc')
		.limit(limit)
		.select('batch.id', 'taken_at as takenAt', 'customer_id as customerId', 'customer.name as customerName');
	if (customerId) query.where('customer_id', customerId);
	const rows = (await query) as Omit<BatchRow, 'counts'>[];
	const counts = await countsOf(rows.map(({ id }) => id));
	return rows.map((row) => ({ ...row, counts: counts.get(row.id) ?? NO_ROWS }));
}
