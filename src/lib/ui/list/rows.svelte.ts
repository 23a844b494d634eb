import { SvelteMap, SvelteSet } from 'svelte/reactivity';
import { ROWS_AT_ONCE } from '$core/list';

interface Window<Row> {
	readonly total: number;
	readonly offset: number;
	readonly rows: readonly Row[];
}

/**
 * The rows of a long list, fetched as they come into sight, some at a time. What is shown stays until newer
 * rows are there; while one scrolls past quickly nothing is asked for.
 */
export class LongRows<Row> {
	total = $state(0);
	/** Rows are being fetched that are in sight. */
	waiting = $state(false);
	private readonly windows = new SvelteMap<number, { readonly rows: readonly Row[]; readonly age: number }>();
	private age = 0;
	private timer: ReturnType<typeof setTimeout> | undefined;
	private inSight: readonly [number, number] = [0, 0];
	private readonly asked = new Set<string>();

	/** `fetchFrom`: where rows are had, without the offset. */
	constructor(
		first: Window<Row>,
		private readonly fetchFrom: () => string
	) {
		this.take(first);
	}

	/** The beginning of the list came anew: the rest is fetched again when it is in sight. */
	take(first: Window<Row>, isOther = false): void {
		this.age++;
		if (isOther) this.windows.clear();
		this.total = first.total;
		this.windows.set(0, { rows: first.rows, age: this.age });
		const last = Math.floor(Math.max(0, first.total - 1) / ROWS_AT_ONCE);
		for (const window of this.windows.keys()) if (window > last) this.windows.delete(window);
		this.see(...this.inSight);
	}

	at(index: number): Row | undefined {
		return this.windows.get(Math.floor(index / ROWS_AT_ONCE))?.rows[index % ROWS_AT_ONCE];
	}

	/** Says which rows are in sight; those that are missing or old are fetched once scrolling rests. */
	see(from: number, to: number): void {
		this.inSight = [from, to];
		clearTimeout(this.timer);
		if (this.wanted().length > 0) this.timer = setTimeout(() => void this.fetchWanted(), REST_MS);
	}

	stop(): void {
		clearTimeout(this.timer);
	}

	private wanted(): number[] {
		const [from, to] = this.inSight.map((index) => Math.floor(index / ROWS_AT_ONCE)) as [number, number];
		const last = Math.floor(Math.max(0, this.total - 1) / ROWS_AT_ONCE);
		const windows = Array.from({ length: Math.min(to, last) - from + 1 }, (_, index) => from + index);
		return windows.filter((window) => this.windows.get(window)?.age !== this.age);
	}

	private async fetchWanted(): Promise<void> {
		const { age } = this;
		this.waiting = true;
		await Promise.all(
			this.wanted().map(async (window) => {
				const key = `${age} ${window}`;
				if (this.asked.has(key)) return;
				this.asked.add(key);
				const address = this.fetchFrom();
				const answer = await fetch(
					`${address}${address.includes('?') ? '&' : '?'}offset=${window * ROWS_AT_ONCE}`
				).catch(() => null);
				this.asked.delete(key);
				if (!answer?.ok || age !== this.age) return;
				const { rows, total } = (await answer.json()) as Window<Row>;
				if (age !== this.age) return;
				this.windows.set(window, { rows, age });
				if (rows.length > 0) this.total = total;
			})
		);
		this.waiting = false;
	}
}
const REST_MS = 60;

/** What is chosen in a list: single rows, or all that fit. */
export class Chosen {
	readonly ids = new SvelteSet<string>();
	all = $state(false);

	count(total: number): number {
		return this.all ? total : this.ids.size;
	}
	has(id: string): boolean {
		return this.all || this.ids.has(id);
	}
	/** Chosen becomes not chosen and the other way. Out of all of them, one cannot be left out: then it alone is chosen. */
	toggle(id: string): void {
		if (this.all) {
			this.clear();
			this.ids.add(id);
		} else if (!this.ids.delete(id)) this.ids.add(id);
	}
	clear(): void {
		this.all = false;
		this.ids.clear();
	}
}
