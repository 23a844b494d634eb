<script lang="ts">
	import { Button, Checkbox } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { REACH_LIST, readListQuery, writeListQuery, type ListQuery } from '$core/list';
	import { PATHS, pathWords, type Path } from '$core/reachability';
	import { counted } from '$core/text';
	import { PathMark, ReachMatrix } from '$ui/charts';
	import { FormField, MenuLink, Notice, PageHead } from '$ui/kit';
	import { WorkList } from '$ui/list';
	import { refreshOn, wantedQuery } from '$ui/live';
	import { When } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['paths', 'units'], { rest: 3000 }));

	const path = '/sites/reachability';
	/** What is asked for by now: who types while the page of another customer is on its way means that one. */
	const asked = $derived(readListQuery(wantedQuery(), REACH_LIST));
	const addressOf = (change: Partial<ListQuery>) => {
		const query = writeListQuery({ ...asked, ...change }, REACH_LIST);
		return query ? `${path}?${query}` : path;
	};
	const filters = (change: Readonly<Record<string, string | null>>) => ({
		filters: Object.fromEntries(
			Object.entries({ ...asked.filters, ...change }).filter(
				(entry): entry is [string, string] => entry[1] !== null
			)
		)
	});
	const pairHref = (from: string, to: string) => `${path}/${from}/${to}`;

	let words = $state('');
	let onlyAstray = $state(false);
	/** Numbers of the places that fit what is asked for. */
	const shown = $derived.by(() => {
		const { matrix } = data;
		if (!matrix) return [];
		const { places, paths, planned } = matrix;
		const wanted = words.trim().toLowerCase();
		const astray = new Set<number>();
		if (onlyAstray)
			paths.forEach((code, index) => {
				if (code === 0 || planned[index] === 0 || code === planned[index]) return;
				astray.add(Math.floor(index / places.length)).add(index % places.length);
			});
		return places.flatMap(({ called }, number) =>
			(wanted === '' || called.toLowerCase().includes(wanted)) && (!onlyAstray || astray.has(number))
				? [number]
				: []
		);
	});
	const looked = $derived(Object.values(data.counts ?? {}).reduce((sum, count) => sum + count, 0));
	const reached = $derived(looked - (data.counts?.none ?? 0) - (data.counts?.unread ?? 0));
</script>

{#snippet withMark(one: Path)}<span class="inline-flex items-center gap-1.5"
		><PathMark path={one} />{pathWords(one)}</span
	>{/snippet}

<PageHead title="Who reaches whom">
	{#snippet state()}{#if data.customer && looked > 0}<span
				><b>{data.customer.name}</b>: {reached.toLocaleString('en')} of {counted(looked, 'pair')} reached</span
			>{/if}{/snippet}
	{#snippet acts()}
		{#if data.query.filters.show === 'table'}<Button
				href={addressOf(filters({ show: null, path: null }))}
				size="sm">Matrix</Button
			>{:else}<Button href={addressOf(filters({ show: 'table' }))} size="sm">Table</Button>{/if}
		<Button href="/addresses/tunnels" size="sm" color="alternative">Tunnels</Button>
	{/snippet}
	{#snippet more()}
		<MenuLink href="{path}/file?{writeListQuery(data.query, REACH_LIST)}" download>CSV</MenuLink>
		<MenuLink href="{path}/file?{writeListQuery(data.query, REACH_LIST)}&as=xlsx" download>XLSX</MenuLink>
	{/snippet}
	{#snippet about()}<span
			>Each place with a tunnel is asked in turns whether it reaches the others, how fast and by which path.</span
		>{/snippet}
</PageHead>

<div class="mt-3 flex flex-wrap items-end gap-x-5 gap-y-2">
	{#if data.seen.length > 1}<FormField
			label="Customer"
			kind="select"
			class="w-56"
			stored={data.customer?.id}
			onchange={({ currentTarget }) => void goto(addressOf(filters({ customer: currentTarget.value })))}
			items={data.seen.map(({ id, name }) => ({ value: id, name }))}
		/>{/if}
	{#if data.matrix}
		<FormField
			label="Sites with"
			kind="text"
			class="w-44"
			bind:value={words}
			placeholder="a part of a name"
		/>
		<Checkbox bind:checked={onlyAstray} class="pb-2.5">Only those with a path that is not as planned</Checkbox
		>
	{/if}
	<p class="ml-auto flex flex-wrap gap-x-4 pb-2.5 text-sm">
		{#each PATHS.filter((one) => data.counts?.[one]) as one (one)}<a
				href={addressOf(filters({ show: 'table', path: one }))}
				aria-current={data.query.filters.path === one ? 'true' : undefined}
				class="inline-flex items-center gap-1.5"
				><PathMark path={one} />{data.counts![one]!.toLocaleString('en')} {pathWords(one)}</a
			>{/each}
	</p>
</div>

{#if data.matrix?.cause}<Notice kind="wrong">{data.matrix.cause}</Notice>{/if}

{#if !data.customer || (looked === 0 && (data.matrix?.places.length ?? 0) < 2)}
	<p class="sheet mt-4 p-6">
		No two sites of this customer are joined by tunnels and online yet. Plan their
		<a href="/addresses/tunnels">tunnels</a>; once both ends are online, they are looked at by themselves.
	</p>
{:else if data.matrix}
	<div class="mt-3 grid grid-cols-1 gap-5 lg:grid-cols-[minmax(0,1fr)_19rem]">
		<div class="sheet p-3">
			{#if shown.length === 0}<p class="p-6">
					{onlyAstray ? 'Every path is as planned.' : 'No site fits.'}
				</p>{:else}<ReachMatrix
					{...data.matrix}
					{shown}
					onopen={(from, to) => void goto(pairHref(from, to))}
				/>{/if}
		</div>
		<section>
			<h2>What changed</h2>
			{#if data.changes.length === 0}<p class="quiet mt-1">No path has changed yet.</p>{/if}
			<ul class="mt-1 divide-y divide-[var(--hairline)]">
				{#each data.changes as { id, at, before, after, from, to } (id)}
					<li class="py-1.5 text-sm">
						<a href={pairHref(from.positionId, to.positionId)}>{from.called} to {to.called}</a>
						<span class="block"
							><span class="quiet">{pathWords(before)}, now</span>
							{@render withMark(after)}
							<span class="quiet float-right"><When {at} /></span></span
						>
					</li>
				{/each}
			</ul>
		</section>
	</div>
{:else if data.first}
	{#if data.query.filters.show !== 'table'}<Notice kind="careful"
			>There are too many places to draw: here is every pair, what fails first.</Notice
		>{/if}
	<div class="mt-3">
		<WorkList
			things="pairs"
			definition={REACH_LIST}
			query={data.query}
			first={data.first}
			{path}
			rowsAt="{path}/rows"
			placeholder="Any part of a site’s name"
			href={({ fromId, toId }) => pairHref(fromId, toId)}
			nameOf={({ from, to }) => `${from} to ${to}`}
			{cell}
		>
			{#snippet empty()}No pair fits. <a
					href={addressOf({ text: '', ...filters({ path: null }) })}
					class="underline">Show all</a
				>{/snippet}
		</WorkList>
	</div>
{/if}

{#snippet cell(pair: NonNullable<typeof data.first>['rows'][0], column: string)}
	{#if column === 'from'}<a href={pairHref(pair.fromId, pair.toId)} tabindex="-1">{pair.from}</a>
	{:else if column === 'to'}{pair.to}
	{:else if column === 'path'}{@render withMark(pair.path)}
		{#if pair.path !== pair.planned && pair.path !== 'none' && pair.path !== 'unread'}<span class="quiet"
				>planned {pathWords(pair.planned)}</span
			>{/if}
	{:else if column === 'milliseconds'}{pair.milliseconds === null ? '' : `${pair.milliseconds} ms`}
	{:else if column === 'loss'}{pair.loss === null ? '' : `${pair.loss} %`}
	{:else if column === 'since'}<span class="quiet"><When at={new Date(pair.pathSince)} /></span>
	{:else}<span class="quiet"><When at={new Date(pair.lookedAt)} /></span>{/if}
{/snippet}
