import type { Ends } from '$core/watch';
import { standingOf, type Arrival, type Standing, type StandingCounts } from '$core/onboarding';

export type BoardRow = Arrival & { readonly ends: Ends | null };
export type BoardCounts = StandingCounts;
/** Rows one after the other; the first page says how many stand how. */
export interface BoardPage {
	readonly rows: readonly BoardRow[];
	readonly counts: BoardCounts | null;
	/** After which run the next page begins; null on the last one. */
	readonly next: string | null;
}

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
	readonly #byRun: Map<string, BoardRow>;
	/** Runs known to be as they are shown, or to be gone, since a renewal began; null while there is none. */
	#known: Set<string> | null = null;
	/** How often counts were told: those of a renewal may be older. */
	#counted = 0;

	constructor(rows: readonly BoardRow[], counts: BoardCounts) {
		this.#byRun = new Map(rows.map((row) => [row.runId, row]));
		this.counts = counts;
		this.#show();
	}

	/** Takes all there is in place of what is shown, page by page; what is told meanwhile is newer and stays. */
	async renew(page: (after: string | null) => Promise<BoardPage>): Promise<void> {
		const known = (this.#known = new Set<string>());
		const counted = this.#counted;
		for (let after: string | null = null; ;) {
			const { rows, counts, next } = await page(after);
			if (counts && counted === this.#counted) this.counts = counts;
			for (const row of rows) {
				if (known.has(row.runId)) continue;
				known.add(row.runId);
				this.#byRun.set(row.runId, row);
			}
			after = next;
			if (after === null) break;
			this.#show();
		}
		this.#known = null;
		for (const id of this.#byRun.keys()) if (!known.has(id)) this.#byRun.delete(id);
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
		// A position has one run that counts: another one of it takes the place of the one before
		const present = new Map(rows.map(({ positionId, runId }) => [positionId, runId]));
		const replaced = [...this.#byRun.values()].filter(
			({ positionId, runId }) => present.has(positionId) && present.get(positionId) !== runId
		);
		for (const id of [...gone, ...replaced.map(({ runId }) => runId)]) {
			this.#byRun.delete(id);
			this.#known?.add(id);
		}
		for (const row of rows) {
			this.#byRun.set(row.runId, row);
			this.#known?.add(row.runId);
		}
		this.counts = counts;
		this.#counted++;
		this.fresh = new Set(present.values());
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
