<script lang="ts">
	import { onMount } from 'svelte';
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { spanQuery } from '$core/health';
	import { counted } from '$core/text';
	import { SiteMap } from '$ui/charts';
	import { UpkeepRooms } from '$ui/drift';
	import { SpanTabs, UptimeMark } from '$ui/health';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['units'], { rest: 20_000 }));
	const withQuery = (more: Record<string, string | null>) => {
		const query = new URLSearchParams(page.url.searchParams);
		for (const [name, value] of Object.entries(more))
			if (value === null) query.delete(name);
			else query.set(name, value);
		return `?${query}`;
	};
	const shareWords = (share: number | null) =>
		share === null ? 'not in service' : share === 100 ? '100 %' : `${Math.min(99.99, share).toFixed(2)} %`;
	const query = $derived(spanQuery(data.span));
	const placed = $derived(
		data.sites.flatMap(({ siteId, siteName, latitude, longitude, away, units }) =>
			latitude === null || longitude === null
				? []
				: [
						{
							id: siteId,
							name: siteName,
							latitude,
							longitude,
							standing:
								away === 0 ? ('online' as const) : away === units ? ('not-heard' as const) : ('late' as const)
						}
					]
		)
	);
	const away = $derived(data.customers.reduce((sum, { away: count }) => sum + count, 0));
	const unitsAway = $derived(data.customers.reduce((sum, { unitsAway: count }) => sum + count, 0));
</script>

<PageHead title="Health">
	{#snippet state()}
		{#if away > 0}<Standing
				standing="not-heard"
				word="{counted(away, 'site')} not heard"
			/>{:else if unitsAway > 0}<Standing
				standing="late"
				word="{counted(unitsAway, 'unit')} not heard"
			/>{:else if data.total > 0}<Standing standing="online" word="every unit is heard" />{/if}
	{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<SpanTabs span={data.span} zone={Intl.DateTimeFormat().resolvedOptions().timeZone} hasTable={false} />
{#snippet groups(label: string, all: typeof data.customers, name: string, chosen: string | null)}
	<nav aria-label={label} class="mt-3 flex flex-wrap gap-x-5 gap-y-1">
		<a
			href={withQuery({ [name]: null, ...(name === 'customer' && { place: null }) })}
			aria-current={chosen === null ? 'true' : undefined}
			>{name === 'customer' ? 'All customers' : 'All places'}</a
		>
		{#each all as { id, name: words, sites, share } (id)}<a
				href={withQuery({ [name]: id, ...(name === 'customer' && { place: null }) })}
				aria-current={chosen === id ? 'true' : undefined}
				>{words} <span class="quiet">{counted(sites, 'site')}, {shareWords(share)}</span></a
			>{/each}
	</nav>
{/snippet}
{#if data.customers.length > 0}{@render groups('Customers', data.customers, 'customer', data.customer)}{/if}
{#if data.places.length > 0}{@render groups('Places', data.places, 'place', data.locality)}{/if}
{#if data.sites.length === 0}
	<p class="sheet mt-4 p-6">No site has come online yet. Each is here from its first unit on.</p>
{:else}
	<div class="mt-3 grid items-start gap-4 lg:grid-cols-[minmax(0,1fr)_24rem]">
		<Table>
			<TableHead
				><TableHeadCell>Site</TableHeadCell><TableHeadCell>Connected</TableHeadCell><TableHeadCell
					>Its worst unit</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each data.sites as site (site.siteId)}
					<TableBodyRow data-site={site.siteName}
						><TableBodyCell
							><a href="/sites/{site.siteId}/health?{query}">{site.siteName}</a>
							{#if site.away > 0}<Standing
									standing={site.away === site.units ? 'not-heard' : 'late'}
									word={site.away === site.units ? 'not heard' : `${site.away} of ${site.units} not heard`}
								/>{/if}
							<span class="quiet block">{site.locality || site.customerName}</span></TableBodyCell
						><TableBodyCell><UptimeMark uptime={site.uptime} /></TableBodyCell><TableBodyCell
							>{#if site.worst}<a href="/units/{site.worst.unitId}/health?{query}"
									>{site.worst.positionName}</a
								>
								<UptimeMark uptime={site.worst.uptime} />{:else}<span class="quiet">none was away</span
								>{/if}</TableBodyCell
						></TableBodyRow
					>
				{/each}
			</TableBody>
		</Table>
		{#if placed.length > 0}<div class="sheet p-3">
				<SiteMap sites={placed} title="Where are they?" height={380} />
			</div>{/if}
	</div>
	{#if data.total > data.sites.length}<p class="quiet mt-2">
			The worst {data.sites.length} of {data.total}. Choose a customer to see fewer.
		</p>{/if}
{/if}
