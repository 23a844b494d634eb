<script lang="ts" generics="Row extends { readonly id: string }">
	import { onMount, untrack, type Snippet } from 'svelte';
	import { goto } from '$app/navigation';
	import { readListQuery, sortedBy, writeListQuery, type ListDefinition, type ListQuery } from '$core/list';
	import { Button, Checkbox, Search } from 'flowbite-svelte';
	import CloseOutline from 'flowbite-svelte-icons/CloseOutline.svelte';
	import { act } from '../forms';
	import { Grid, type GridColumn } from '../grid';
	import { FormField, Menu } from '../kit';
	import { wantedQuery } from '../live';
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
		/** Views that are kept under names; left out where none can be. */
		views?: readonly { readonly id: string; readonly name: string; readonly query: string }[];
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
		/** The name of the hidden field of a chosen row; needed with `acts`. */
		field?: string;
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
		cell: rowCell,
		filters,
		acts,
		takeAway,
		empty,
		field
	}: Props = $props();

	const written = $derived(writeListQuery(query, definition));
	/** What is asked for by now: who types while another list is on its way means that one. */
	const asked = $derived(readListQuery(wantedQuery(), definition));
	const addressOf = (change: Partial<ListQuery>) => {
		const address = writeListQuery({ ...asked, ...change }, definition);
		return address === '' ? path : `${path}?${address}`;
	};
	const CHOICE: GridColumn = { id: '', title: 'Chosen', width: 2.4 };
	const columns = $derived(definition.columns.filter(({ id }) => query.columns.includes(id)));
	const drawn = $derived(acts ? [CHOICE, ...columns] : columns);

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
			grid?.toTop();
		});
	});
	onMount(() => () => rows.stop());

	let grid: ReturnType<typeof Grid> | undefined = $state();
	let active = $state(0);
	function key(event: KeyboardEvent, index: number): boolean {
		const row = rows.at(index);
		if (event.key === 'x' && row && acts) chosen.toggle(row.id);
		else if (event.key === 'Escape') chosen.clear();
		else return false;
		return true;
	}
	const sortOf = ({ id }: GridColumn) =>
		query.sort.column !== id ? undefined : query.sort.descending ? 'descending' : 'ascending';
	let text = $derived(query.text);
	const count = $derived(chosen.count(rows.total));
</script>

{#snippet fields()}
	{#if chosen.all}<input type="hidden" name="all" value={written} />
	{:else}{#each chosen.ids as id (id)}<input type="hidden" name={field} value={id} />{/each}{/if}
{/snippet}

<div class="flex flex-wrap items-center gap-2">
	<form role="search" class="min-w-64 grow sm:max-w-sm" onsubmit={(event) => event.preventDefault()}>
		<Search
			size="md"
			name="q"
			bind:value={text}
			{placeholder}
			aria-label="Filter {things}"
			autocomplete="off"
			spellcheck="false"
			oninput={() => void goto(addressOf({ text }), { replaceState: true, keepFocus: true, noScroll: true })}
			onkeydown={(event) => {
				if (event.key !== 'ArrowDown') return;
				event.preventDefault();
				grid?.focus();
			}}
		/>
	</form>
	<Menu label="Columns" placement="bottom-start">
		{#each definition.columns as { id, title } (id)}
			<li class="px-4 py-1">
				<Checkbox
					checked={query.columns.includes(id)}
					onchange={({ currentTarget }) => {
						const wanted = definition.columns
							.map((column) => column.id)
							.filter((one) => (one === id ? currentTarget.checked : query.columns.includes(one)));
						if (wanted.length === 0) currentTarget.checked = true;
						else
							void goto(addressOf({ columns: wanted }), {
								replaceState: true,
								noScroll: true,
								keepFocus: true
							});
					}}>{title}</Checkbox
				>
			</li>
		{/each}
	</Menu>
	{#if views}<Menu label="Views{views.length > 0 ? ` (${views.length})` : ''}" placement="bottom-start">
			{#each views as view (view.id)}
				<li class="flex items-center">
					<a class="menu-item" href={view.query ? `${path}?${view.query}` : path}>{view.name}</a>
					<form method="POST" action="?/dropView" use:act>
						<input type="hidden" name="view" value={view.id} /><button
							class="quiet cursor-pointer px-3"
							aria-label="Drop the view {view.name}"><CloseOutline class="h-4 w-4" /></button
						>
					</form>
				</li>
			{/each}
			<li class="px-4 py-2">
				<form method="POST" action="?/saveView" use:act class="flex items-end gap-2">
					<input type="hidden" name="query" value={written} />
					<FormField label="Name of the view" name="name" required maxlength={60} autocomplete="off" />
					<Button type="submit" size="sm">Keep</Button>
				</form>
			</li>
		</Menu>{/if}
	{#if takeAway}<Menu label="Download" placement="bottom-start">{@render takeAway(written)}</Menu>{/if}
</div>
{#if filters}<nav class="mt-2 flex flex-wrap items-baseline gap-x-6 gap-y-1" aria-label="Which are shown">
		{@render filters(addressOf)}
	</nav>{/if}

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
	<div class="mt-3">
		<Grid
			bind:this={grid}
			bind:active
			label={`${things[0]!.toUpperCase()}${things.slice(1)}`}
			columns={drawn}
			count={rows.total}
			{sortOf}
			onsee={(from, to) => rows.see(from, Math.max(from, to - 1))}
			onopen={(index) => {
				const row = rows.at(index);
				if (row) void goto(href(row));
			}}
			onkey={key}
			about={(index) => {
				const row = rows.at(index);
				return { class: row && chosen.has(row.id) ? 'chosen' : '' };
			}}
		>
			{#snippet head({ id, title })}
				{@const sorts = definition.columns.find((column) => column.id === id)?.sorts}
				{#if id === CHOICE.id}<span class="sr-only">{title}</span>
				{:else if sorts}<a
						href={addressOf({ sort: sortedBy(id, query) })}
						data-sveltekit-noscroll
						data-sveltekit-keepfocus
						>{title}{query.sort.column === id ? (query.sort.descending ? ' ↓' : ' ↑') : ''}</a
					>{:else}{title}{/if}
			{/snippet}
			{#snippet cell(index, { id })}
				{@const row = rows.at(index)}
				{#if !row}<i class="quiet">…</i>
				{:else if id === CHOICE.id}<input
						type="checkbox"
						class="rounded-sm"
						tabindex="-1"
						aria-label="Choose {nameOf(row)}"
						checked={chosen.has(row.id)}
						onchange={() => {
							chosen.toggle(row.id);
							active = index;
						}}
					/>
				{:else}{@render rowCell(row, id)}{/if}
			{/snippet}
		</Grid>
	</div>
	<p class="quiet mt-1" role="status">
		{rows.total.toLocaleString('en')}
		{things}
	</p>
{/if}

<style>
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
</style>
