import {
	elementScroll,
	observeElementOffset,
	observeElementRect,
	observeWindowOffset,
	observeWindowRect,
	Virtualizer,
	windowScroll,
	type VirtualizerOptions
} from '@tanstack/virtual-core';

interface Line {
	/** How many there are, and how long each is, in pixels. */
	readonly count: number;
	readonly size: number;
	readonly spare: number;
	/** In pixels: what stands on the page before the first. */
	readonly before?: number;
	readonly sideways?: boolean;
}

/**
 * Which of many rows (or columns) of equal size are in view. The page scrolls them, or an element that is
 * given. On the server, and until the first measure, the first ones are.
 */
export class InView {
	from = $state(0);
	to = $state(0);
	#virtual: Virtualizer<HTMLElement & Window, HTMLElement> | null = null;
	#unmount: (() => void) | null = null;
	readonly #line: () => Line;

	constructor(line: () => Line, atFirst: number) {
		this.#line = line;
		this.to = Math.min(line().count, atFirst);
	}

	#options(scroller: HTMLElement | null): VirtualizerOptions<HTMLElement & Window, HTMLElement> {
		const { count, size, spare, before = 0, sideways = false } = this.#line();
		const shared = {
			count,
			estimateSize: () => size,
			overscan: spare,
			horizontal: sideways,
			onChange: () => this.#see()
		};
		// The library has one class for both; its window functions are typed for windows only
		return (scroller
			? {
					...shared,
					getScrollElement: () => scroller,
					observeElementRect,
					observeElementOffset,
					scrollToFn: elementScroll,
					scrollPaddingStart: sideways ? 0 : before,
					...(sideways ? { scrollMargin: before } : {})
				}
			: {
					...shared,
					getScrollElement: () => window,
					observeElementRect: observeWindowRect,
					observeElementOffset: observeWindowOffset,
					scrollToFn: windowScroll,
					scrollMargin: before,
					scrollPaddingStart: PAGE_PADDING,
					scrollPaddingEnd: PAGE_PADDING
				}) as unknown as VirtualizerOptions<HTMLElement & Window, HTMLElement>;
	}

	/** Begins to watch; `scroller` null: the page. */
	mount(scroller: HTMLElement | null): void {
		this.#scroller = scroller;
		this.#virtual = new Virtualizer(this.#options(scroller));
		this.#unmount = this.#virtual._didMount();
		this.#virtual._willUpdate();
		this.#see();
	}
	#scroller: HTMLElement | null = null;

	/** The number or place of what is shown has changed. */
	update(): void {
		if (!this.#virtual) {
			this.to = Math.min(this.#line().count, Math.max(this.to, AT_FIRST));
			return;
		}
		this.#virtual.setOptions(this.#options(this.#scroller));
		this.#virtual._willUpdate();
		this.#see();
	}

	stop(): void {
		clearTimeout(this.#resting);
		this.#unmount?.();
		this.#virtual = null;
	}

	/** Brings one into view. */
	show(index: number): void {
		this.#virtual?.scrollToIndex(index, { align: 'auto' });
		this.#see();
	}
	#seenAt = 0;
	#resting: ReturnType<typeof setTimeout> | undefined;
	#see(): void {
		clearTimeout(this.#resting);
		const [from, to] = this.#inView();
		const isElsewhere = from >= this.to || to <= this.from;
		const isFlung = isElsewhere && performance.now() - this.#seenAt < FLUNG_MS;
		this.#seenAt = performance.now();
		// Nobody reads what is flung past: it is drawn once scrolling rests
		if (isFlung) this.#resting = setTimeout(() => ([this.from, this.to] = this.#inView()), REST_MS);
		else [this.from, this.to] = [from, to];
	}

	#inView(): readonly [from: number, to: number] {
		const items = this.#virtual?.getVirtualItems() ?? [];
		return [items[0]?.index ?? 0, Math.min(this.#line().count, (items.at(-1)?.index ?? -1) + 1)];
	}
}
const AT_FIRST = 40;
/** Room for a head that sticks, in pixels. */
const PAGE_PADDING = 44;
/** A whole view further so soon after the last is a fling. */
const FLUNG_MS = 120;
const REST_MS = 60;
