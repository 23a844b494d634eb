<script lang="ts">
	import { onMount, tick, untrack } from 'svelte';
	import { SvelteMap } from 'svelte/reactivity';
	import { describeType } from '$core/profile';
	import { InView } from '../grid';
	import { cellKey, type SheetCellProblem, type SheetColumn, type SheetRow } from './types';
	import { SheetWork } from './work.svelte';

	/**
	 * Positions by fields, worked on like a spreadsheet: arrows, typing, Enter and Tab, copy and paste, fill
	 * down, series, undo. Only the cells in sight are drawn, and while one scrolls the same elements show
	 * others. What is typed is checked as it is typed and kept until it is saved.
	 */
	let {
		columns,
		rows,
		size,
		mayWrite,
		wrong = [],
		focusField = null,
		edits = $bindable()
	}: {
		columns: readonly SheetColumn[];
		rows: readonly SheetRow[];
		/** How many rows there are in all, also those that are still on their way. */
		size: number;
		mayWrite: boolean;
		/** What the last attempt to save found wrong. */
		wrong?: readonly SheetCellProblem[];
		focusField?: string | null;
		/** What was typed and is not saved, by holder and field. */
		edits: SvelteMap<string, string>;
	} = $props();

	/** In pixels: a row, the two names that stay at the left, and how wide a column is, at least and at most. */
	const [ROW, NAMES] = [34, 304];
	const [NARROWEST, WIDEST] = [176, 360];
	const [SPARE_ROWS, SPARE_COLUMNS] = [4, 1];
	let grid: HTMLElement | undefined = $state();
	let room = $state(0);
	/** A few columns take the room that there is. */
	const cellWidth = $derived(
		Math.min(WIDEST, Math.max(NARROWEST, Math.floor((room - NAMES) / Math.max(1, columns.length))))
	);
	let typing: string | null = $state(null);
	let input: HTMLInputElement | undefined = $state();
	const work = new SheetWork(() => ({ columns, rows, mayWrite, wrong, edits }));
	export const fillDown = () => work.fillDown();
	export const series = () => work.series();
	export const undo = () => work.undo();
	export const redo = () => work.redo();

	const down = new InView(() => ({ count: rows.length, size: ROW, spare: SPARE_ROWS }), 24);
	const across = new InView(
		() => ({ count: columns.length, size: cellWidth, spare: SPARE_COLUMNS, sideways: true }),
		8
	);
	const [first, last, firstColumn] = $derived([down.from, down.to, across.from]);
	const drawn = $derived(columns.slice(firstColumn, across.to));
	const wide = $derived(NAMES + columns.length * cellWidth);

	/** Goes to a cell, and brings it into sight. */
	function go(row: number, column: number, extending = false): void {
		work.go(row, column, extending);
		if (!grid) return;
		const [y, x] = [work.at.row * ROW, work.at.column * cellWidth];
		const [high, broad] = [grid.clientHeight - HEAD - ROW, grid.clientWidth - NAMES - cellWidth];
		if (y < grid.scrollTop) grid.scrollTop = y;
		else if (y > grid.scrollTop + high) grid.scrollTop = y - high;
		if (x < grid.scrollLeft) grid.scrollLeft = x;
		else if (x > grid.scrollLeft + broad) grid.scrollLeft = x - broad;
		// Not only when the event of it comes: who types at once types into the cell that is drawn now
		grid.dispatchEvent(new Event('scroll'));
	}
	$effect(() => {
		void [rows.length, columns.length, cellWidth];
		down.update();
		across.update();
	});
	onMount(() => {
		down.mount(grid!);
		across.mount(grid!);
		return () => {
			down.stop();
			across.stop();
		};
	});
	const HEAD = 52;

	// After what is in view is watched: that begins at the top left
	$effect(() => {
		const column = columns.findIndex(({ field }) => field.name === focusField);
		if (column < 0 || !grid) return;
		untrack(() => go(0, column));
		grid.focus();
	});

	function begin(text: string | null): void {
		const row = rows[work.at.row];
		if (!mayWrite || !row) return;
		const { secret } = columns[work.at.column]!;
		typing = text ?? (secret ? '' : work.textAt(row, work.at.column));
		void tick().then(() => {
			input?.focus();
			if (text === null) input?.select();
		});
	}
	function commit(rowBy: number, columnBy: number): void {
		if (typing === null) return;
		const text = typing;
		typing = null;
		const { row, column } = work.at;
		// A secret whose cell was opened and left alone stays
		const kept = columns[column]!.secret && text === '' && rows[row]?.cells[column] !== '';
		if (!kept) work.set([{ row, column, text: text.trim() }]);
		go(row + rowBy, column + columnBy);
		grid?.focus();
	}

	const MOVES: Record<string, readonly [number, number]> = {
		ArrowUp: [-1, 0],
		ArrowDown: [1, 0],
		ArrowLeft: [0, -1],
		ArrowRight: [0, 1],
		PageUp: [-15, 0],
		PageDown: [15, 0]
	};

	function keys(event: KeyboardEvent): void {
		if (typing !== null || rows.length === 0) return;
		const command = event.ctrlKey || event.metaKey;
		const letter = event.key.toLowerCase();
		const { row, column } = work.at;
		const act = (what: () => void) => {
			event.preventDefault();
			event.stopPropagation();
			what();
		};
		const move = MOVES[event.key];
		if (move) return act(() => go(row + move[0], column + move[1], event.shiftKey));
		if (event.key === 'Home') return act(() => go(command ? 0 : row, 0, event.shiftKey));
		if (event.key === 'End')
			return act(() => go(command ? rows.length - 1 : row, columns.length - 1, event.shiftKey));
		if (command && letter === 'a') return act(() => work.chooseAll());
		if (command && letter === 'z') return act(event.shiftKey ? redo : undo);
		if (command && letter === 'y') return act(redo);
		if (command && letter === 'd') return act(event.shiftKey ? series : fillDown);
		if (command || event.altKey) return;
		if (event.key === 'Delete' || event.key === 'Backspace') return act(() => work.clear());
		if (event.key === 'Enter' || event.key === 'F2') return act(() => begin(null));
		if (event.key.length === 1) return act(() => begin(event.key));
	}
	function keysInCell(event: KeyboardEvent): void {
		const leave: Record<string, readonly [number, number]> = {
			Enter: [event.shiftKey ? -1 : 1, 0],
			Tab: [0, event.shiftKey ? -1 : 1]
		};
		const by = leave[event.key];
		event.stopPropagation();
		if (by) {
			event.preventDefault();
			commit(...by);
		} else if (event.key === 'Escape') {
			event.preventDefault();
			typing = null;
			grid?.focus();
		}
	}

	function copy(event: ClipboardEvent): void {
		if (typing !== null) return;
		event.preventDefault();
		event.clipboardData?.setData('text/plain', work.copied());
	}
	function paste(event: ClipboardEvent): void {
		if (typing !== null) return;
		event.preventDefault();
		work.paste(event.clipboardData?.getData('text/plain') ?? '');
	}

	const isNeeded = ({ field }: SheetColumn) => field.need === 'required' && field.formula === undefined;
	const active = $derived(
		rows[work.at.row] && columns[work.at.column]
			? { row: rows[work.at.row]!, column: columns[work.at.column]! }
			: null
	);
	const activeProblem = $derived(active ? work.problemAt(active.row, work.at.column) : null);
</script>

<div
	class="sheet grid-place"
	role="grid"
	tabindex="0"
	aria-label="Values"
	aria-rowcount={size + 1}
	aria-colcount={columns.length + 2}
	aria-activedescendant="cell-{work.at.row}-{work.at.column}"
	aria-multiselectable="true"
	aria-readonly={!mayWrite}
	bind:this={grid}
	bind:clientWidth={room}
	style:--column="{cellWidth}px"
	onkeydown={keys}
	oncopy={copy}
	oncut={(event) => {
		copy(event);
		work.clear();
	}}
	onpaste={paste}
>
	<div class="head line" role="row" aria-rowindex="1">
		<span class="name" role="columnheader">Site</span>
		<span class="name second" role="columnheader">Position</span>
		{#each columns as { field, target } (field.name)}
			<span class="cell" role="columnheader" title="{field.description} {describeType(field.type)}"
				><b class="mono">{field.name}</b>{#if field.need === 'required'}<i aria-label="required">needed</i
					>{/if}
				<span class="quiet block truncate text-sm">per {target}, {describeType(field.type)}</span></span
			>
		{/each}
	</div>
	<div class="body" style:height="{rows.length * ROW}px" style:width="{wide}px">
		<div style:transform="translateY({first * ROW}px)">
			<!-- Without keys: the same elements show the next rows -->
			<!-- eslint-disable-next-line svelte/require-each-key -->
			{#each rows.slice(first, last) as row, index}
				{@const number = first + index}
				<div class="line" role="row" aria-rowindex={number + 2}>
					<span class="name" role="rowheader"><a href="/sites/{row.siteId}" tabindex="-1">{row.site}</a></span
					>
					<span class="name second" role="rowheader">{row.position}</span>
					<span style:flex="none" style:width="{firstColumn * cellWidth}px"></span>
					<!-- eslint-disable-next-line svelte/require-each-key -->
					{#each drawn as column, nth}
						{@const c = firstColumn + nth}
						{@const text = work.textAt(row, c)}
						{@const problem = work.problemAt(row, c)}
						{@const isAt = work.at.row === number && work.at.column === c}
						<!-- svelte-ignore a11y_interactive_supports_focus (the grid has the focus and the keys) -->
						<span
							id="cell-{number}-{c}"
							class="cell"
							role="gridcell"
							aria-colindex={c + 3}
							data-active={isAt ? '' : undefined}
							aria-selected={number >= work.chosen.top &&
								number <= work.chosen.bottom &&
								c >= work.chosen.left &&
								c <= work.chosen.right}
							aria-invalid={problem ? true : undefined}
							class:edited={edits.has(cellKey(row, column))}
							class:differs={row.differs[c] !== ''}
							title={problem ?? (row.differs[c] || text)}
							onmousedown={(event) => {
								if (event.button !== 0 || (isAt && typing !== null)) return;
								if (typing !== null) commit(0, 0);
								work.go(number, c, event.shiftKey);
							}}
							onmouseenter={(event) => {
								if (event.buttons === 1 && typing === null) work.go(number, c, true);
							}}
							ondblclick={() => begin(null)}
						>
							{#if isAt && typing !== null}<input
									bind:this={input}
									bind:value={typing}
									class="mono"
									aria-label="{column.field.name} of {row.position} at {row.site}"
									onkeydown={keysInCell}
									onblur={() => commit(0, 0)}
									spellcheck="false"
									autocomplete="off"
								/>{:else}<span
									class="mono"
									class:quiet={text === ''}
									class:instead={text === ''}
									class:lacking={text === '' && !row.instead[c] && isNeeded(column)}
									>{text || row.instead[c] || (isNeeded(column) ? 'missing' : '')}</span
								>{/if}
						</span>
					{/each}
				</div>
			{/each}
		</div>
	</div>
</div>
<p class="foot" aria-live="polite" data-testid="cell-words">
	{#if active}
		<b>{active.row.site} {active.row.position}</b>
		<span class="mono">{active.column.field.name}</span>
		{#if activeProblem}<span class="text-[var(--brick)]">{activeProblem}</span>{:else}<span class="quiet"
				>{active.column.field.description}{#if active.column.target !== 'position'}
					One value for the whole {active.column.target}.{/if}{#if active.row.instead[work.at.column]}
					Counts now: {active.row.instead[work.at.column]}.{/if}
				{active.row.differs[work.at.column]}</span
			>{/if}
	{/if}
</p>

<style>
	.grid-place {
		height: min(34rem, calc(100vh - 19rem));
		min-height: 16rem;
		overflow: auto;
		position: relative;
		contain: strict;
		overflow-anchor: none;
	}
	.line {
		display: flex;
		height: 34px;
		width: max-content;
		min-width: 100%;
		border-bottom: 1px solid var(--hairline);
	}
	.head {
		position: sticky;
		top: 0;
		z-index: 3;
		height: 52px;
		background: var(--sheet);
	}
	.head i {
		margin-left: 0.4rem;
		font-style: normal;
		font-size: 0.8rem;
		color: var(--brick);
	}
	.name,
	.cell {
		flex: none;
		padding: 0.3rem 0.6rem;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
		border-right: 1px solid var(--hairline);
	}
	.name {
		position: sticky;
		left: 0;
		z-index: 2;
		width: 192px;
		background: var(--sheet);
	}
	.name.second {
		left: 192px;
		width: 112px;
	}
	.cell {
		position: relative;
		width: var(--column);
		cursor: cell;
		user-select: none;
	}
	.cell[aria-selected='true'] {
		background: var(--chosen);
	}
	.cell[data-active] {
		outline: 2px solid var(--marigold);
		outline-offset: -2px;
	}
	.cell.edited {
		box-shadow: inset 3px 0 0 var(--pine);
	}
	.cell.differs::after {
		content: '≠';
		position: absolute;
		right: 3px;
		top: 0;
		font-size: 0.8rem;
		color: var(--quiet);
	}
	.cell[aria-invalid] {
		background: color-mix(in srgb, var(--brick) 14%, transparent);
		text-decoration: underline wavy var(--brick);
		text-underline-offset: 3px;
	}
	.cell input {
		position: absolute;
		inset: 0;
		padding: 0.3rem 0.6rem;
		border: 0;
		background: var(--sheet);
		font-size: inherit;
	}
	.instead {
		font-style: italic;
	}
	.lacking {
		font-style: normal;
		color: var(--brick);
	}
	.foot {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
		min-height: 2rem;
		padding: 0.4rem 0.2rem;
	}
</style>
