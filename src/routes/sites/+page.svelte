<script lang="ts">
	import { onMount } from 'svelte';
	import { goto } from '$app/navigation';
	import { SiteMap } from '$ui/charts';
	import { refreshOn } from '$ui/live';
	import { siteTime, Standing } from '$ui/marks';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	onMount(() => refreshOn(['runs', 'plan', 'callers']));

	const WORDS = ['stuck', 'under way', 'waiting', 'open', 'online'] as const;
	const SAID = {
		stuck: 'stuck',
		'under way': 'under way',
		waiting: 'waiting',
		open: 'no units bound',
		online: 'online',
		empty: 'no positions'
	} as const;
	interface Choice {
		readonly text: string;
		readonly standing: string | null;
		readonly pattern: string | null;
		readonly view: string;
	}
	const hrefOf = (change: Partial<Choice>) => {
		const { text, standing, pattern, view } = { ...data, ...change };
		const query = new URLSearchParams([
			...(text ? [['q', text]] : []),
			...(standing ? [['standing', standing]] : []),
			...(pattern ? [['pattern', pattern]] : []),
			...(view === 'map' ? [['view', view]] : [])
		]);
		return `/sites?${query}`;
	};
	const onMap = $derived(
		data.sites.flatMap(({ id, name, latitude, longitude, standing }) =>
			latitude === null || longitude === null
				? []
				: [{ id, name, latitude, longitude, standing: standing.word }]
		)
	);

	let table: HTMLElement | undefined = $state();
	function move(event: KeyboardEvent) {
		const links = [...(table?.querySelectorAll<HTMLAnchorElement>('tbody a') ?? [])];
		const step =
			event.key === 'j' || event.key === 'ArrowDown'
				? 1
				: event.key === 'k' || event.key === 'ArrowUp'
					? -1
					: 0;
		if (step === 0) return;
		event.preventDefault();
		links[
			Math.max(
				0,
				Math.min(links.length - 1, links.indexOf(document.activeElement as HTMLAnchorElement) + step)
			)
		]?.focus();
	}
</script>

<svelte:head><title>Sites · Limen</title></svelte:head>
<div class="flex flex-wrap items-end justify-between gap-4">
	<div class="flex flex-wrap items-baseline gap-5">
		<h1>Sites</h1>
		{#if mayDo('plan sites')}<a href="/sites/new">Plan a site</a><a href="/sites/stamp">Stamp sites</a>{/if}
		{#if mayDo('see renderings')}<a href="/sites/patterns">Patterns</a><a href="/values">Values</a><a
				href="/addresses">Addresses</a
			>{/if}
	</div>
	<form role="search" class="min-w-60">
		<input
			type="search"
			name="q"
			value={data.text}
			placeholder="Name, place or street"
			aria-label="Filter sites"
			class="w-full rounded-md border-[var(--hairline)] bg-[var(--sheet)] py-1"
			oninput={(event) =>
				void goto(hrefOf({ text: event.currentTarget.value }), {
					replaceState: true,
					keepFocus: true,
					noScroll: true
				})}
		/>
		{#if data.standing}<input type="hidden" name="standing" value={data.standing} />{/if}
		{#if data.pattern}<input type="hidden" name="pattern" value={data.pattern} />{/if}
	</form>
</div>
<p class="mt-2 flex flex-wrap gap-x-6 gap-y-1">
	<a
		href={hrefOf({ standing: null, pattern: null })}
		aria-current={data.standing === null ? 'true' : undefined}>{data.total} in all</a
	>
	{#each WORDS as word (word)}
		{#if data.counts[word]}<a
				href={hrefOf({ standing: word })}
				aria-current={data.standing === word ? 'true' : undefined}
				><Standing standing={word} word="{data.counts[word]} {SAID[word]}" /></a
			>{/if}
	{/each}
	<span class="ml-auto flex gap-4"
		><a href={hrefOf({ view: 'list' })} aria-current={data.view === 'list' ? 'true' : undefined}>List</a>
		<a href={hrefOf({ view: 'map' })} aria-current={data.view === 'map' ? 'true' : undefined}>Map</a>
		<a href="/sites/geojson" download>As GeoJSON</a></span
	>
</p>
{#if data.total === 0}
	<p class="sheet mt-4 p-6">There are no sites yet{data.customerId ? ' for this customer' : ''}.</p>
{:else if data.sites.length === 0}
	<p class="sheet mt-4 p-6">No site fits. <a href="/sites">Show all</a></p>
{:else if data.view === 'map'}
	<div class="mt-3">
		{#key `${data.text} ${data.standing}`}<SiteMap
				sites={onMap}
				title="Where are they?{onMap.length < data.sites.length
					? ` ${data.sites.length - onMap.length} have no place on the map yet.`
					: ''}"
				height={540}
			/>{/key}
	</div>
{:else}
	<!-- svelte-ignore a11y_no_noninteractive_element_interactions (moving between the links of the table) -->
	<div class="sheet mt-3 overflow-auto" bind:this={table} onkeydown={move} role="region" aria-label="Sites">
		<table class="work-table">
			<thead
				><tr
					><th>Site</th><th>How it stands</th><th>Online</th><th class="wide">Place</th><th class="wide"
						>Uplink</th
					><th class="wide">Appointment, site’s time</th>{#if !data.customerId}<th class="wide">Customer</th
						>{/if}</tr
				></thead
			>
			<tbody>
				{#each data.sites as site (site.id)}
					<tr>
						<td><a href="/sites/{site.id}" class="font-semibold">{site.name}</a></td>
						<td><Standing standing={site.standing.word} word={SAID[site.standing.word]} /></td>
						<td>{site.standing.online} of {site.standing.positions}</td>
						<td class="wide">{site.street}, {site.locality}</td>
						<td class="wide">{site.uplink}</td>
						<td class="wide">{site.appointmentAt ? siteTime(site.appointmentAt, site.timeZone) : ''}</td>
						{#if !data.customerId}<td class="wide quiet">{site.customerName}</td>{/if}
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}

<style>
	a[aria-current] {
		font-weight: 700;
		text-decoration: underline var(--marigold) 3px;
	}
	@media (max-width: 800px) {
		.wide {
			display: none;
		}
	}
</style>
