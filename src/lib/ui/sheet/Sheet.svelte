<script lang="ts">
	import { tick } from 'svelte';
	import { SvelteMap } from 'svelte/reactivity';
	import {
		describeType,
		didStep,
		MASK,
		NO_HISTORY,
		readPaste,
		readValue,
		redoStep,
		seriesAfter,
		undoStep,
		writePaste,
		type CellChange,
		type History
	} from '$core/profile';
	import type { SheetCellProblem, SheetColumn, SheetRow } from './types';

	/**
	 * Positions by fields, worked on like a spreadsheet: arrows, typing, Enter and Tab, copy and paste, fill
	 * down, series, undo. Only the rows in sight are drawn. What is typed is checked as it is typed and kept
	 * until it is saved.
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

	const ROW = 34;
	const SPARE = 8;
	let grid: HTMLElement | undefined = $state();
	let top = $state(0);
	let height = $state(600);
	let at = $state({ row: 0, column: 0 });
	let anchor = $state({ row: 0, column: 0 });
	let typing: string | null = $state(null);
	let input: HTMLInputElement | undefined = $state();
	let history: History = $state.raw(NO_HISTORY);

	$effect(() => {
		const column = columns.findIndex(({ field }) => field.name === focusField);
		if (column < 0 || !grid) return;
		at = anchor = { row: 0, column };
		grid.focus();
		grid.scrollLeft = Math.max(0, (column - 1) * 176);
	});

	const first = $derived(Math.max(0, Math.floor(top / ROW) - SPARE));
	const last = $derived(Math.min(rows.length, Math.ceil((top + height) / ROW) + SPARE));
	const chosen = $derived({
		top: Math.min(at.row, anchor.row),
		bottom: Math.max(at.row, anchor.row),
		left: Math.min(at.column, anchor.column),
		right: Math.max(at.column, anchor.column)
	});

	const holderOf = (row: SheetRow, { target }: SheetColumn) =>
		target === 'site' ? row.siteId : row.positionId;
	const keyOf = (row: SheetRow, column: SheetColumn) => `${holderOf(row, column)} ${column.field.name}`;
	const textAt = (row: SheetRow, column: number): string =>
		edits.get(keyOf(row, columns[column]!)) ?? row.cells[column] ?? '';
	const problemAt = (row: SheetRow, column: number): string | null => {
		const { field } = columns[column]!;
		const text = edits.get(keyOf(row, columns[column]!));
		if (text !== undefined && text !== '' && text !== MASK) {
			const reading = readValue(field.type, text);
			if (!reading.ok) return reading.message;
		}
		return (
			wrong.find(
				(one) =>
					one.field === field.name &&
					(one.positionId === row.positionId ||
						(columns[column]!.target === 'site' &&
							rows.find(({ positionId }) => positionId === one.positionId)?.siteId === row.siteId)) &&
					text !== undefined
			)?.message ?? null
		);
	};

	/** Sets cells as one step that can be undone. */
	function set(cells: readonly { row: number; column: number; text: string }[]): void {
		if (!mayWrite) return;
		const step: CellChange[] = [];
		for (const { row: index, column: number, text } of cells) {
			const row = rows[index];
			const column = columns[number];
			if (!row || !column) continue;
			const key = keyOf(row, column);
			const before = textAt(row, number);
			if (before === text) continue;
			step.push({ row: key, column: row.cells[number] ?? '', before, after: text });
			put(key, row.cells[number] ?? '', text);
		}
		history = didStep(history, step);
	}
	/** A cell that is as it was is no edit. */
	function put(key: string, original: string, text: string): void {
		if (text === original) edits.delete(key);
		else edits.set(key, text);
	}
	function back(): void {
		const undone = undoStep(history);
		history = undone.history;
		for (const { row, column, before } of [...undone.step].reverse()) put(row, column, before);
	}
	function again(): void {
		const redone = redoStep(history);
		history = redone.history;
		for (const { row, column, after } of redone.step) put(row, column, after);
	}

	const clamp = (value: number, most: number) => Math.max(0, Math.min(most, value));
	function go(row: number, column: number, extend = false): void {
		at = { row: clamp(row, rows.length - 1), column: clamp(column, columns.length - 1) };
		if (!extend) anchor = at;
		if (!grid) return;
		const y = at.row * ROW;
		if (y < grid.scrollTop) grid.scrollTop = y;
		else if (y + ROW * 3 > grid.scrollTop + grid.clientHeight)
			grid.scrollTop = y + ROW * 3 - grid.clientHeight;
		void tick().then(() =>
			grid?.querySelector('[data-active]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
		);
	}

	function begin(text: string | null): void {
		if (!mayWrite || !rows[at.row]) return;
		const { secret } = columns[at.column]!;
		typing = text ?? (secret ? '' : textAt(rows[at.row]!, at.column));
		void tick().then(() => {
			input?.focus();
			if (text === null) input?.select();
		});
	}
	function commit(rowBy: number, columnBy: number): void {
		if (typing === null) return;
		const text = typing;
		typing = null;
		// A secret whose cell was opened and left alone stays
		const kept = columns[at.column]!.secret && text === '' && rows[at.row]?.cells[at.column] !== '';
		if (!kept) set([{ ...at, text: text.trim() }]);
		go(at.row + rowBy, at.column + columnBy);
		grid?.focus();
	}

	const everyChosen = <Result,>(cell: (row: number, column: number) => Result): Result[] => {
		const found: Result[] = [];
		for (let row = chosen.top; row <= chosen.bottom; row++)
			for (let column = chosen.left; column <= chosen.right; column++) found.push(cell(row, column));
		return found;
	};
	export function clear(): void {
		set(everyChosen((row, column) => ({ row, column, text: '' })));
	}
	/** Copies the chosen top row down through the choice. */
	export function fillDown(): void {
		set(
			everyChosen((row, column) => ({ row, column, text: textAt(rows[chosen.top]!, column) })).filter(
				({ row }) => row > chosen.top
			)
		);
	}
	/** Counts on through the choice: from its first two rows when they count, else from its first. */
	export function series(): void {
		const cells = [];
		for (let column = chosen.left; column <= chosen.right; column++) {
			const one = textAt(rows[chosen.top]!, column);
			const other = chosen.bottom > chosen.top ? textAt(rows[chosen.top + 1]!, column) : '';
			const given = other !== '' && other !== one ? [one, other] : [one];
			const more = seriesAfter(given, chosen.bottom - chosen.top + 1 - given.length);
			for (const [index, text] of more.entries())
				cells.push({ row: chosen.top + given.length + index, column, text });
		}
		set(cells);
	}
	export const undo = back;
	export const redo = again;

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
		const act = (work: () => void) => {
			event.preventDefault();
			event.stopPropagation();
			work();
		};
		const move = MOVES[event.key];
		if (move) return act(() => go(at.row + move[0], at.column + move[1], event.shiftKey));
		if (event.key === 'Home') return act(() => go(command ? 0 : at.row, 0, event.shiftKey));
		if (event.key === 'End')
			return act(() => go(command ? rows.length - 1 : at.row, columns.length - 1, event.shiftKey));
		if (command && letter === 'a') {
			return act(() => {
				anchor = { row: 0, column: 0 };
				at = { row: rows.length - 1, column: columns.length - 1 };
			});
		}
		if (command && letter === 'z') return act(event.shiftKey ? again : back);
		if (command && letter === 'y') return act(again);
		if (command && letter === 'd') return act(event.shiftKey ? series : fillDown);
		if (command || event.altKey) return;
		if (event.key === 'Delete' || event.key === 'Backspace') return act(clear);
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
		const cells: string[][] = [];
		for (let row = chosen.top; row <= chosen.bottom; row++)
			cells.push(
				columns
					.slice(chosen.left, chosen.right + 1)
					.map((_, index) => textAt(rows[row]!, chosen.left + index))
			);
		event.clipboardData?.setData('text/plain', writePaste(cells));
	}
	function paste(event: ClipboardEvent): void {
		if (typing !== null) return;
		event.preventDefault();
		const cells = readPaste(event.clipboardData?.getData('text/plain') ?? '');
		if (cells.length === 0) return;
		// One cell fills the whole choice
		if (cells.length === 1 && cells[0]!.length === 1)
			return set(everyChosen((row, column) => ({ row, column, text: cells[0]![0]!.trim() })));
		set(
			cells.flatMap((line, row) =>
				line.map((text, column) => ({
					row: chosen.top + row,
					column: chosen.left + column,
					text: text.trim()
				}))
			)
		);
	}

	const active = $derived(
		rows[at.row] && columns[at.column] ? { row: rows[at.row]!, column: columns[at.column]! } : null
	);
	const activeProblem = $derived(active ? problemAt(active.row, at.column) : null);
</script>

<div
	class="sheet grid-place"
	role="grid"
	tabindex="0"
	aria-label="Values"
	aria-rowcount={size + 1}
	aria-colcount={columns.length + 2}
	aria-activedescendant="cell-{at.row}-{at.column}"
	aria-multiselectable="true"
	aria-readonly={!mayWrite}
	bind:this={grid}
	bind:clientHeight={height}
	onscroll={() => (top = grid!.scrollTop)}
	onkeydown={keys}
	oncopy={copy}
	oncut={(event) => {
		copy(event);
		clear();
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
	<div class="body" style:height="{rows.length * ROW}px">
		<div style:transform="translateY({first * ROW}px)">
			{#each rows.slice(first, last) as row, index (row.positionId)}
				{@const number = first + index}
				<div class="line" role="row" aria-rowindex={number + 2}>
					<span class="name" role="rowheader"><a href="/sites/{row.siteId}" tabindex="-1">{row.site}</a></span
					>
					<span class="name second" role="rowheader">{row.position}</span>
					{#each columns as column, c (column.field.name)}
						{@const text = textAt(row, c)}
						{@const problem = problemAt(row, c)}
						{@const isAt = at.row === number && at.column === c}
						<!-- svelte-ignore a11y_interactive_supports_focus (the grid has the focus and the keys) -->
						<span
							id="cell-{number}-{c}"
							class="cell"
							role="gridcell"
							data-active={isAt ? '' : undefined}
							aria-selected={number >= chosen.top &&
								number <= chosen.bottom &&
								c >= chosen.left &&
								c <= chosen.right}
							aria-invalid={problem ? true : undefined}
							class:edited={edits.has(keyOf(row, column))}
							title={problem ?? text}
							onmousedown={(event) => {
								if (event.button !== 0 || (isAt && typing !== null)) return;
								if (typing !== null) commit(0, 0);
								at = { row: number, column: c };
								if (!event.shiftKey) anchor = at;
							}}
							onmouseenter={(event) => {
								if (event.buttons === 1 && typing === null) at = { row: number, column: c };
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
								/>{:else if text !== ''}<span class="mono">{text}</span>{:else if row.instead[c]}<span
									class="mono quiet instead">{row.instead[c]}</span
								>{:else if column.field.need === 'required' && column.field.formula === undefined}<span
									class="lacking">missing</span
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
				>{active.column.field.description}{#if active.column.target === 'site'}
					One value for the whole site.{/if}{#if active.row.instead[at.column]}
					Counts now: {active.row.instead[at.column]}.{/if}</span
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
		width: 12rem;
		background: var(--sheet);
	}
	.name.second {
		left: 12rem;
		width: 7rem;
	}
	.cell {
		position: relative;
		width: 176px;
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
		color: var(--brick);
		font-size: 0.85rem;
	}
	.foot {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
		min-height: 2rem;
		padding: 0.4rem 0.2rem;
	}
</style>
