<script lang="ts" module>
	export interface GridColumn {
		readonly id: string;
		readonly title: string;
		/** In rem; columns share the width in this proportion, and none is narrower than it must be. */
		readonly width: number;
		/** Takes more of what is left. */
		readonly grows?: boolean;
		/** Only where there is room for it. */
		readonly wide?: boolean;
	}
</script>

<script lang="ts">
	import { onMount, type Snippet } from 'svelte';
	import type { HTMLAttributes } from 'svelte/elements';
	import { InView } from './in-view.svelte';

	/**
	 * Rows of any number, of which only those in view are drawn; the page scrolls them and their head sticks.
	 * Walked by keys: arrows or j and k, page and end keys, Enter.
	 */
	interface Props {
		label: string;
		columns: readonly GridColumn[];
		count: number;
		/** In pixels. */
		row?: number;
		active?: number;
		head?: Snippet<[GridColumn]>;
		sortOf?: (column: GridColumn) => 'ascending' | 'descending' | undefined;
		cell: Snippet<[number, GridColumn]>;
		/** What a row's element carries. */
		about?: (index: number) => HTMLAttributes<HTMLElement> & Record<`data-${string}`, unknown>;
		onopen?: (index: number) => void;
		/** Another key; true: it was for the list. */
		onkey?: (event: KeyboardEvent, index: number) => boolean;
		onsee?: (from: number, to: number) => void;
	}
	let {
		label,
		columns,
		count,
		row = 36,
		active = $bindable(0),
		head,
		sortOf,
		cell,
		about,
		onopen,
		onkey,
		onsee
	}: Props = $props();

	const PAGE = 15;
	const SPARE = 8;
	const FIRST = 40;
	let place: HTMLElement | undefined = $state();
	let body: HTMLElement | undefined = $state();
	/** Where the first row is on the page. */
	let before = $state(0);
	const view = new InView(() => ({ count, size: row, spare: SPARE, before }), FIRST);
	/** In rem; what a screen usually has, until it is measured. */
	let room = $state(82);
	/** Each as wide as it wants, and what is left goes to those that grow; where there is too little, all give. */
	const asWide = ({ width }: GridColumn) => `minmax(0, ${width}fr)`;
	function template(some: readonly GridColumn[]): string {
		const fits = some.reduce((sum, { width }) => sum + width, 0) <= room;
		return some
			.map((one) => (!fits ? asWide(one) : one.grows ? `minmax(${one.width}rem, 1fr)` : `${one.width}rem`))
			.join(' ');
	}
	/** On a narrow screen there is never too much room. */
	const few = $derived(
		columns
			.filter(({ wide }) => !wide)
			.map(asWide)
			.join(' ')
	);

	$effect(() => {
		void [count, row, before];
		view.update();
	});
	$effect(() => onsee?.(view.from, view.to));
	onMount(() => {
		const measure = () => {
			if (!body) return;
			const box = body.getBoundingClientRect();
			before = Math.round(box.top + scrollY);
			room = box.width / parseFloat(getComputedStyle(document.documentElement).fontSize);
		};
		measure();
		view.mount(null);
		// What stands above may come and go
		const watcher = new ResizeObserver(measure);
		watcher.observe(document.body);
		return () => {
			watcher.disconnect();
			view.stop();
		};
	});
	/** Back to the first row; the page scrolls no further up than that. */
	export function toTop(): void {
		active = 0;
		if (scrollY > before) scrollTo({ top: Math.max(0, before - 2 * row) });
	}
	export const focus = () => place?.focus();

	const MOVES: Record<string, (at: number) => number> = {
		j: (at) => at + 1,
		ArrowDown: (at) => at + 1,
		k: (at) => at - 1,
		ArrowUp: (at) => at - 1,
		PageDown: (at) => at + PAGE,
		PageUp: (at) => at - PAGE,
		Home: () => 0,
		End: () => count - 1
	};
	function keys(event: KeyboardEvent): void {
		if (event.ctrlKey || event.metaKey || event.altKey) return;
		const move = MOVES[event.key];
		if (move) {
			active = Math.max(0, Math.min(count - 1, move(active)));
			view.show(active);
		} else if (event.key === 'Enter' && event.target === place && onopen && active < count) onopen(active);
		else if (!onkey?.(event, active)) return;
		event.preventDefault();
	}
	/** What is cut shows the whole on pointing at it. */
	function showWhole({ target }: PointerEvent): void {
		const one = target instanceof Element ? target.closest<HTMLElement>('.cell') : null;
		if (!one) return;
		if (one.scrollWidth > one.clientWidth) one.title = one.innerText.trim();
		else one.removeAttribute('title');
	}
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the table is walked by keys) -->
<div
	class="sheet place"
	role="table"
	tabindex="0"
	aria-label={label}
	aria-rowcount={count + 1}
	aria-colcount={columns.length}
	bind:this={place}
	onkeydown={keys}
	onpointerover={showWhole}
	style:--all={template(columns)}
	style:--few={few}
>
	<div class="line head" role="row" aria-rowindex="1">
		{#each columns as column (column.id)}
			<span role="columnheader" class="cell" class:wide={column.wide} aria-sort={sortOf?.(column)}
				>{#if head}{@render head(column)}{:else}{column.title}{/if}</span
			>
		{/each}
	</div>
	<div bind:this={body} style:height="{count * row}px" style:--row="{row}px" class="body" role="rowgroup">
		<div style:transform="translateY({view.from * row}px)" role="presentation">
			<!-- Without keys: the same elements show the next rows -->
			<!-- eslint-disable-next-line svelte/require-each-key -->
			{#each Array(Math.max(0, view.to - view.from)) as _, nth}
				{@const index = view.from + nth}
				{@const { class: extra, ...rest } = about?.(index) ?? {}}
				<div
					{...rest}
					class={['line', extra, index === active && 'active']}
					role="row"
					aria-rowindex={index + 2}
					style:height="{row}px"
				>
					{#each columns as column (column.id)}
						<span role="cell" class="cell" class:wide={column.wide}>{@render cell(index, column)}</span>
					{/each}
				</div>
			{/each}
		</div>
	</div>
</div>

<style>
	.body {
		contain: layout style;
		overflow-anchor: none;
		/* What a row looks like before it is drawn */
		background: repeating-linear-gradient(
			transparent 0 calc(var(--row) - 1px),
			var(--hairline) calc(var(--row) - 1px) var(--row)
		);
	}
	.body .line {
		contain: layout style;
	}
	.line {
		display: grid;
		grid-template-columns: var(--all);
		align-items: center;
		border-bottom: 1px solid var(--hairline);
	}
	.cell {
		padding: 0 0.6rem;
		line-height: 1.2;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	.head {
		position: sticky;
		top: 0;
		z-index: 2;
		height: 36px;
		border-radius: 6px 6px 0 0;
		background: var(--sheet);
		color: var(--quiet);
		font-weight: 600;
	}
	.head :global(a) {
		color: inherit;
	}
	.line:not(.head):hover,
	.line:global(.chosen) {
		background: var(--chosen);
	}
	.place:focus .active {
		box-shadow: inset 4px 0 0 var(--marigold);
	}
	@media (max-width: 800px) {
		.line {
			grid-template-columns: var(--few);
		}
		.wide {
			display: none;
		}
		/* A state takes two lines before it is cut */
		.cell :global(.standing) {
			white-space: normal;
		}
	}
</style>
