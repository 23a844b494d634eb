/** A priority queue: what has the lowest key comes first, of equal keys what was put in first. */
export class Heap<One> {
	readonly #items: { readonly key: number; readonly order: number; readonly one: One }[] = [];
	#count = 0;

	get size(): number {
		return this.#items.length;
	}
	/** The lowest key; infinite when there is nothing. */
	get lowest(): number {
		return this.#items[0]?.key ?? Infinity;
	}

	push(key: number, one: One): void {
		const items = this.#items;
		let at = items.length;
		items.push({ key, order: this.#count++, one });
		while (at > 0) {
			const parent = (at - 1) >> 1;
			if (!this.#isBefore(at, parent)) return;
			this.#swap(at, parent);
			at = parent;
		}
	}

	pop(): One | undefined {
		const items = this.#items;
		if (items.length === 0) return undefined;
		this.#swap(0, items.length - 1);
		const { one } = items.pop()!;
		for (let at = 0; ;) {
			const [left, right] = [2 * at + 1, 2 * at + 2];
			let first = at;
			if (left < items.length && this.#isBefore(left, first)) first = left;
			if (right < items.length && this.#isBefore(right, first)) first = right;
			if (first === at) return one;
			this.#swap(at, first);
			at = first;
		}
	}

	#isBefore(one: number, other: number): boolean {
		const [a, b] = [this.#items[one]!, this.#items[other]!];
		return a.key === b.key ? a.order < b.order : a.key < b.key;
	}
	#swap(one: number, other: number): void {
		const items = this.#items;
		[items[one], items[other]] = [items[other]!, items[one]!];
	}
}
