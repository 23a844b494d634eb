import type { Ends } from '$core/watch';
import { standingOf, type Arrival, type Standing, type StandingCounts } from '$core/onboarding';

export type BoardRow = Arrival & { readonly ends: Ends | null };
export type BoardCounts = StandingCounts;

const ATTENTION: readonly Standing[] = [
	'stuck',
	'stalled',
	'not-heard',
	'late',
	'moving',
	'waiting',
	'through',
	'cancelled'
];
const rankOf = (standing: Standing) => ATTENTION.indexOf(standing);

export const standingOfRow = (row: Arrival, now: number): Standing =>
	standingOf(row, now, row.wrongCode, row);

/** The arrivals on a page: what came with it, what was fetched after, and what changed since. */
export class Board {
	rows = $state.raw<readonly BoardRow[]>([]);
	counts = $state.raw<BoardCounts>() as BoardCounts;
	/** The runs that changed lately, marked for a moment. */
	fresh = $state.raw<ReadonlySet<string>>(new Set());
	#byRun = new Map<string, BoardRow>();

	constructor(rows: readonly BoardRow[], counts: BoardCounts) {
		this.replace(rows, counts);
	}

	replace(rows: readonly BoardRow[], counts: BoardCounts): void {
		this.#byRun = new Map(rows.map((row) => [row.runId, row]));
		this.counts = counts;
		this.#show();
	}

	/** Rows that were there before the page opened; what changed meanwhile is newer and stays. */
	add(rows: readonly BoardRow[]): void {
		for (const row of rows) if (!this.#byRun.has(row.runId)) this.#byRun.set(row.runId, row);
		this.#show();
	}

	change({
		rows,
		gone,
		counts
	}: {
		rows: readonly BoardRow[];
		gone: readonly string[];
		counts: BoardCounts;
	}): void {
		for (const id of gone) this.#byRun.delete(id);
		// A position has one run that counts: another one of it takes the place of the one before
		const present = new Map(rows.map(({ positionId, runId }) => [positionId, runId]));
		for (const [id, { positionId }] of this.#byRun)
			if (present.has(positionId) && present.get(positionId) !== id) this.#byRun.delete(id);
		for (const row of rows) this.#byRun.set(row.runId, row);
		this.counts = counts;
		this.fresh = new Set(rows.map(({ runId }) => runId));
		this.#show();
	}

	/** In the order in which they want attention, then by place. */
	#show(): void {
		const now = Date.now();
		const ranked = [...this.#byRun.values()].map((row) => ({ row, rank: rankOf(standingOfRow(row, now)) }));
		ranked.sort(
			(a, b) =>
				a.rank - b.rank ||
				compare(a.row.siteName, b.row.siteName) ||
				compare(a.row.positionName, b.row.positionName) ||
				compare(a.row.runId, b.row.runId)
		);
		this.rows = ranked.map(({ row }) => row);
	}
}

// Plain order of code points: thousands of rows are sorted on every change
const compare = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);
