import { isBad, type Verdict } from '../../../core/intake';
import { database } from '../database';
import { open } from '../keys';
import type { Ownership } from './store';

/** A batch as it stands now: each row with what came of it, and those that wait to be mended. */
export interface BatchLine {
	readonly ordinal: number | null;
	readonly line: number;
	readonly serial: string;
	readonly verdict: Verdict | 'asked' | 'registry-refused';
	readonly reason: string;
	readonly unitId: string | null;
	/** The row as it was given, while it waits to be mended. */
	readonly raw: string | null;
	readonly settled: boolean;
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
	readonly lines: readonly BatchLine[];
}

const MOST_LINES = 20_000;

/** Whose a batch is, and the headings it was given with. */
export async function batchHead(
	id: string
): Promise<{ readonly customerId: string; readonly heading: string | null } | null> {
	const batch = await database()('batch').where({ id }).first('customer_id', 'heading');
	return batch ? { customerId: batch.customer_id, heading: batch.heading && open(batch.heading) } : null;
}

/** A batch with its rows, those that need somebody first. Rows are opened only for whoever may mend them. */
export async function batchById(id: string, mayMend: boolean): Promise<Batch | null> {
	const batch = await database()('batch')
		.join('customer', 'customer.id', 'customer_id')
		.where('batch.id', id)
		.first('batch.*', 'customer.name as customer');
	if (!batch) return null;
	const [units, others] = await Promise.all([
		database()('unit')
			.leftJoin('binding', 'binding.unit_id', 'unit.id')
			.leftJoin('position', 'position.id', 'binding.position_id')
			.leftJoin('site', 'site.id', 'position.site_id')
			.where({ batch_id: id })
			.orderBy('line')
			.limit(MOST_LINES)
			.select('unit.id', 'line', 'serial', 'ownership', 'ownership_words as words')
			.select(
				database().raw('unit.mac::text as mac'),
				database().raw(`site.name || ', ' || position.name as place`)
			),
		database()('batch_row')
			.where({ batch_id: id })
			.orderBy('ordinal')
			.limit(MOST_LINES)
			.select('*', database().raw('mac::text as mac'))
	]);
	const opened = (raw: string | null) => (raw !== null && mayMend ? open(raw) : null);
	const lines: BatchLine[] = [
		...others.map((row) => ({
			ordinal: row.ordinal as number,
			line: row.line as number,
			serial: row.serial as string,
			verdict: row.verdict as Verdict,
			reason: row.reason as string,
			unitId: null,
			raw: opened(row.raw),
			settled: row.settled_at !== null,
			mac: row.mac as string | null,
			place: null
		})),
		...units.map((unit) => ({
			ordinal: null,
			line: unit.line as number,
			serial: unit.serial as string,
			verdict: VERDICT_OF[unit.ownership as keyof typeof VERDICT_OF],
			reason: unit.words as string,
			unitId: unit.id as string,
			raw: null,
			settled: false,
			mac: unit.mac as string | null,
			place: unit.place as string | null
		}))
	];
	return {
		id,
		customerId: batch.customer_id,
		customerName: batch.customer,
		takenAt: batch.taken_at,
		takenBy: batch.taken_by,
		lines: lines.sort((one, other) => urgency(one) - urgency(other) || one.line - other.line)
	};
}

const VERDICT_OF = {
	asked: 'asked',
	confirmed: 'claimed',
	refused: 'registry-refused',
	released: 'claimed'
} as const;

const urgency = ({ verdict, settled }: BatchLine): number =>
	verdict === 'registry-refused' || (verdict !== 'asked' && isBad(verdict) && !settled)
		? 0
		: verdict === 'asked'
			? 1
			: 2;

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

/** How far the makers have confirmed a batch's units. */
export interface BatchProgress {
	readonly asked: number;
	readonly confirmed: number;
	readonly refused: number;
	/** Units that a registry has not decided on, the first lines first; not all of a very long batch. */
	readonly waiting: readonly string[];
}
const MOST_WAITING = 1000;

export async function batchProgress(batchId: string): Promise<BatchProgress> {
	const [counted, waiting] = await Promise.all([
		database()('unit').where({ batch_id: batchId }).groupBy('ownership').select('ownership').count(),
		database()('unit')
			.where({ batch_id: batchId, ownership: 'asked' })
			.orderBy('line')
			.limit(MOST_WAITING)
			.pluck('id')
	]);
	const count = (ownership: string) => Number(counted.find((row) => row.ownership === ownership)?.count ?? 0);
	return { asked: count('asked'), confirmed: count('confirmed'), refused: count('refused'), waiting };
}

/** What the makers say of a batch's units, by the unit's id. */
export const ownershipOf = async (batchId: string): Promise<ReadonlyMap<string, Ownership>> =>
	new Map(
		(await database()('unit').where({ batch_id: batchId }).select('id', 'ownership')).map((unit) => [
			unit.id,
			unit.ownership
		])
	);
