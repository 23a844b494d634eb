<script lang="ts" generics="Row extends { readonly id: string }">
	import { onMount, untrack, type Snippet } from 'svelte';
	import { enhance } from '$app/forms';
	import { goto } from '$app/navigation';
	import { sortedBy, writeListQuery, type ListDefinition, type ListQuery } from '$core/list';
	import { Chosen, LongRows } from './rows.svelte';

	/**
	 * A list of any length to work with: filtered as one types, sorted by its heads, with chosen columns and
	 * views kept under names, walked by keys, and acted on in many rows at once. All but what is chosen lives
	 * in the address. Only the rows in sight are drawn.
	 */
	interface Props {
		/** What its rows are, in the plural: `sites`. */
		things: string;
		definition: ListDefinition;
		query: ListQuery;
		first: { readonly total: number; readonly offset: number; readonly rows: readonly Row[] };
		/** Where the list and its rows are: `/sites`, `/sites/rows`. */
		path: string;
		rowsAt: string;
		placeholder: string;
		views: readonly { readonly id: string; readonly name: string; readonly query: string }[];
		href: (row: Row) => string;
		nameOf: (row: Row) => string;
		cell: Snippet<[Row, string]>;
		/** What else filters, beside the text. */
		filters?: Snippet<[(change: Partial<ListQuery>) => string]>;
		/** What can be done with the rows that are chosen; its forms get the hidden fields from `fields`. */
		acts?: Snippet<[{ readonly count: number; readonly fields: Snippet; readonly done: () => void }]>;
		/** What can be had of the whole list, beside it. */
		takeAway?: Snippet<[string]>;
		empty: Snippet;
		/** The name of the hidden field of a chosen row. */
		field: string;
	}
	let {
		things,
		definition,
		query,
		first,
		path,
		rowsAt,
		placeholder,
		views,
		href,
		nameOf,
		cell,
		filters,
		acts,
		takeAway,
		empty,
		field
	}: Props = $props();

	/** In pixels. */
	const ROW = 36;
	const SPARE = 6;
	const written = $derived(writeListQuery(query, definition));
	const addressOf = (change: Partial<ListQuery>) => {
		const address = writeListQuery({ ...query, ...change }, definition);
		return address === '' ? path : `${path}?${address}`;
	};
	const columns = $derived(definition.columns.filter(({ id }) => query.columns.includes(id)));
	const template = (some: typeof columns) =>
		`2.4rem ${some.map(({ width, grows }) => (grows ? `minmax(${width}rem, 1fr)` : `${width}rem`)).join(' ')}`;

	const rows = new LongRows<Row>(
		untrack(() => first),
		() => (written === '' ? rowsAt : `${rowsAt}?${written}`)
	);
	const chosen = new Chosen();
	let seen = untrack(() => written);
	$effect(() => {
		const [window, address] = [first, written];
		untrack(() => {
			rows.take(window, address !== seen);
			if (address === seen) return;
			seen = address;
			chosen.clear();
			active = 0;
			if (place) place.scrollTop = 0;
		});
	});
	onMount(() => () => rows.stop());

	let place: HTMLElement | undefined = $state();
	let top = $state(0);
	let height = $state(640);
	let active = $state(0);
	const from = $derived(Math.max(0, Math.floor(top / ROW) - SPARE));
	const to = $derived(Math.min(rows.total, Math.ceil((top + height) / ROW) + SPARE));
	$effect(() => rows.see(from, Math.max(from, to - 1)));

	function go(index: number): void {
		active = Math.max(0, Math.min(rows.total - 1, index));
		if (!place) return;
		const y = active * ROW;
		if (y < place.scrollTop) place.scrollTop = y;
		else if (y > place.scrollTop + height - 3 * ROW) place.scrollTop = y - height + 3 * ROW;
		top = place.scrollTop;
	}
	const PAGE = 15;
	const MOVES: Record<string, (at: number) => number> = {
		j: (at) => at + 1,
		ArrowDown: (at) => at + 1,
		k: (at) => at - 1,
		ArrowUp: (at) => at - 1,
		PageDown: (at) => at + PAGE,
		PageUp: (at) => at - PAGE,
		Home: () => 0,
		End: () => rows.total - 1
	};
	function keys(event: KeyboardEvent): void {
		if (event.ctrlKey || event.metaKey || event.altKey) return;
		const row = rows.at(active);
		const move = MOVES[event.key];
		if (move) go(move(active));
		else if (event.key === 'x' && row && acts) chosen.toggle(row.id);
		else if (event.key === 'Enter' && row && event.target === place) void goto(href(row));
		else if (event.key === 'Escape') chosen.clear();
		else return;
		event.preventDefault();
	}
	let text = $derived(query.text);
	const count = $derived(chosen.count(rows.total));
</script>

<svelte:window
	onclick={({ target }) => {
		for (const menu of document.querySelectorAll<HTMLDetailsElement>('details.menu[open]'))
			if (!menu.contains(target as Node)) menu.open = false;
	}}
/>
{#snippet fields()}
	{#if chosen.all}<input type="hidden" name="all" value={written} />
	{:else}{#each chosen.ids as id (id)}<input type="hidden" name={field} value={id} />{/each}{/if}
{/snippet}

<div class="flex flex-wrap items-center gap-x-4 gap-y-2">
	<form role="search" class="min-w-64 grow sm:max-w-sm" onsubmit={(event) => event.preventDefault()}>
		<input
			type="search"
			name="q"
			bind:value={text}
			{placeholder}
			aria-label="Filter {things}"
			class="field !mt-0 !py-1"
			autocomplete="off"
			spellcheck="false"
			oninput={() => void goto(addressOf({ text }), { replaceState: true, keepFocus: true, noScroll: true })}
			onkeydown={(event) => {
				if (event.key !== 'ArrowDown') return;
				event.preventDefault();
				place?.focus();
			}}
		/>
	</form>
	<details class="menu">
		<summary>Columns</summary>
		<div>
			{#each definition.columns as { id, title } (id)}
				<label
					><input
						type="checkbox"
						checked={query.columns.includes(id)}
						onchange={({ currentTarget }) => {
							const wanted = definition.columns
								.map((column) => column.id)
								.filter((one) => (one === id ? currentTarget.checked : query.columns.includes(one)));
							if (wanted.length === 0) currentTarget.checked = true;
							else void goto(addressOf({ columns: wanted }), { replaceState: true, noScroll: true });
						}}
					/>
					{title}</label
				>
			{/each}
		</div>
	</details>
	<details class="menu">
		<summary>Views{views.length > 0 ? ` (${views.length})` : ''}</summary>
		<div>
			{#each views as view (view.id)}
				<span class="flex items-center justify-between gap-3"
					><a href={view.query ? `${path}?${view.query}` : path}>{view.name}</a>
					<form method="POST" action="?/dropView" use:enhance>
						<input type="hidden" name="view" value={view.id} /><button
							class="quiet cursor-pointer px-1"
							aria-label="Drop the view {view.name}">✕</button
						>
					</form></span
				>
			{/each}
			<form method="POST" action="?/saveView" use:enhance class="flex gap-2">
				<input type="hidden" name="query" value={written} />
				<input
					name="name"
					class="field !mt-0 !py-1"
					required
					maxlength="60"
					placeholder="Keep this one as"
					aria-label="Name of the view"
					autocomplete="off"
				/>
				<button class="link">Keep</button>
			</form>
		</div>
	</details>
	{#if takeAway}{@render takeAway(written)}{/if}
</div>
{#if filters}<div class="mt-2 flex flex-wrap items-baseline gap-x-6 gap-y-1">
		{@render filters(addressOf)}
	</div>{/if}

{#if acts && count > 0}
	<div class="bar" role="toolbar" aria-label="What to do with what is chosen">
		<b>{count} chosen</b>
		{#if !chosen.all && rows.total > count}<button
				type="button"
				class="link"
				onclick={() => (chosen.all = true)}>Choose all {rows.total}</button
			>{/if}
		<button type="button" class="link" onclick={() => chosen.clear()}>Choose none</button>
		<span class="ml-auto flex flex-wrap items-center gap-3"
			>{@render acts({ count, fields, done: () => chosen.clear() })}</span
		>
	</div>
{/if}
{#if rows.total === 0}
	<div class="sheet mt-3 p-6">{@render empty()}</div>
{:else}
	<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the table is walked by keys) -->
	<div
		class="sheet place mt-3"
		role="table"
		tabindex="0"
		aria-label={`${things[0]!.toUpperCase()}${things.slice(1)}`}
		aria-rowcount={rows.total + 1}
		aria-colcount={columns.length + 1}
		bind:this={place}
		bind:clientHeight={height}
		onscroll={({ currentTarget }) => (top = currentTarget.scrollTop)}
		onkeydown={keys}
		style:--all={template(columns)}
		style:--few={template(columns.filter(({ wide }) => !wide))}
		style:height="{Math.min(rows.total, 400) * ROW + ROW + 4}px"
	>
		<div class="line head" role="row" aria-rowindex="1">
			<span role="columnheader"><span class="sr-only">Chosen</span></span>
			{#each columns as { id, title, sorts, wide } (id)}
				<span
					role="columnheader"
					class:wide
					aria-sort={query.sort.column !== id
						? undefined
						: query.sort.descending
							? 'descending'
							: 'ascending'}
					>{#if sorts}<a
							href={addressOf({ sort: sortedBy(id, query) })}
							data-sveltekit-noscroll
							data-sveltekit-keepfocus
							>{title}{query.sort.column === id ? (query.sort.descending ? ' ↓' : ' ↑') : ''}</a
						>{:else}{title}{/if}</span
				>
			{/each}
		</div>
		<div class="body" style:height="{rows.total * ROW}px">
			<div style:transform="translateY({from * ROW}px)">
				<!-- Without keys: the same elements show the next rows -->
				<!-- eslint-disable-next-line svelte/require-each-key -->
				{#each Array(Math.max(0, to - from)) as _, nth}
					{@const index = from + nth}
					{@const row = rows.at(index)}
					<div
						class="line"
						role="row"
						aria-rowindex={index + 2}
						class:active={index === active}
						class:chosen={row && chosen.has(row.id)}
					>
						<span role="cell"
							>{#if row && acts}<input
									type="checkbox"
									tabindex="-1"
									aria-label="Choose {nameOf(row)}"
									checked={chosen.has(row.id)}
									onchange={() => {
										chosen.toggle(row.id);
										active = index;
									}}
								/>{/if}</span
						>
						{#each columns as { id, wide } (id)}
							<span role="cell" class:wide
								>{#if row}{@render cell(row, id)}{:else}<i class="quiet">…</i>{/if}</span
							>
						{/each}
					</div>
				{/each}
			</div>
		</div>
	</div>
	<p class="quiet mt-1" role="status">
		{rows.total.toLocaleString('en')}
		{things}
	</p>
{/if}

<style>
	.place {
		max-height: max(20rem, calc(100vh - 17rem));
		overflow: auto;
		overflow-anchor: none;
		contain: strict;
	}
	.line {
		display: grid;
		grid-template-columns: var(--all);
		align-items: center;
		height: 36px;
		min-width: max-content;
		border-bottom: 1px solid var(--hairline);
	}
	.line > span {
		padding: 0 0.6rem;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	.head {
		position: sticky;
		top: 0;
		z-index: 2;
		background: var(--sheet);
		color: var(--quiet);
		font-weight: 600;
	}
	.head a {
		color: inherit;
	}
	.line:not(.head):hover {
		background: var(--chosen);
	}
	.chosen {
		background: var(--chosen);
	}
	.place:focus .active {
		box-shadow: inset 4px 0 0 var(--marigold);
	}
	.bar {
		position: sticky;
		top: 0;
		z-index: 3;
		display: flex;
		flex-wrap: wrap;
		align-items: center;
		gap: 0.4rem 1.2rem;
		margin-top: 0.75rem;
		padding: 0.5rem 0.9rem;
		border: 1px solid var(--marigold);
		border-radius: 6px;
		background: var(--sheet);
	}
	.menu {
		position: relative;
	}
	.menu summary {
		cursor: pointer;
		color: var(--pine);
	}
	.menu > div {
		position: absolute;
		left: 0;
		z-index: 20;
		display: flex;
		flex-direction: column;
		gap: 0.4rem;
		min-width: 14rem;
		padding: 0.7rem 0.9rem;
		border: 1px solid var(--hairline);
		border-radius: 6px;
		background: var(--sheet);
	}
	.menu label {
		display: flex;
		align-items: center;
		gap: 0.5rem;
	}
	@media (max-width: 800px) {
		.line {
			grid-template-columns: var(--few);
			min-width: 0;
		}
		.wide {
			display: none;
		}
	}
</style>
