<script lang="ts">
	import { DateField, FormField, MenuLink, PageHead } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { SITE_LIST, type ListQuery } from '$core/list';
	import { SiteMap } from '$ui/charts';
	import { WorkList } from '$ui/list';
	import { siteWords } from '$core/plan';
	import { UPLINK_WORDS } from '$core/profile';
	import { refreshOn } from '$ui/live';
	import { momentOf, Standing } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'plan', 'callers', 'proofs']));

	/** Of several sites other words than of one. */
	const SAID_OF_MORE = { stuck: 'need a person', 'proof-failed': 'proofs do not hold' } as const;
	const WORDS = SITE_LIST.filters.standing;
	type Word = (typeof WORDS)[number];
	const saidOf = (word: Word, count: number): string =>
		count !== 1 && word in SAID_OF_MORE ? SAID_OF_MORE[word as keyof typeof SAID_OF_MORE] : siteWords(word);
	const total = $derived(Object.values(data.counts).reduce((sum, count) => sum + count, 0));
	const onMap = $derived(
		data.first.rows.flatMap(({ id, name, latitude, longitude, word }) =>
			latitude === null || longitude === null ? [] : [{ id, name, latitude, longitude, standing: word }]
		)
	);
	/** The customer is the same for all rows when one is chosen. */
	const query = $derived(
		data.customerId
			? { ...data.query, columns: data.query.columns.filter((id) => id !== 'customer') }
			: data.query
	);
	const standingIs = (addressOf: (change: Partial<ListQuery>) => string, standing: Word | null) => {
		const { standing: before, ...others } = data.query.filters;
		void before;
		return addressOf({ filters: standing ? { ...others, standing } : others });
	};
	const onView = (address: string) =>
		data.view === 'map' ? `${address}${address.includes('?') ? '&' : '?'}view=map` : address;
</script>

{#snippet standings(addressOf: (change: Partial<ListQuery>) => string)}
	<a
		href={onView(standingIs(addressOf, null))}
		aria-current={data.query.filters.standing ? undefined : 'true'}>{total.toLocaleString('en')} in all</a
	>
	{#each WORDS as word (word)}
		{#if data.counts[word]}<a
				href={onView(standingIs(addressOf, word))}
				aria-current={data.query.filters.standing === word ? 'true' : undefined}
				><Standing
					standing={word}
					word="{data.counts[word].toLocaleString('en')} {saidOf(word, data.counts[word])}"
				/></a
			>{/if}
	{/each}
	<span class="ml-auto flex gap-4"
		><a href={addressOf({})} aria-current={data.view === 'list' ? 'true' : undefined}>List</a>
		<a
			href="{addressOf({})}{addressOf({}).includes('?') ? '&' : '?'}view=map"
			aria-current={data.view === 'map' ? 'true' : undefined}>Map</a
		></span
	>
{/snippet}

<PageHead title="Sites">
	{#snippet acts()}
		{#if mayDo('plan sites')}<Button href="/sites/new" size="sm">Plan a site</Button><Button
				href="/sites/stamp"
				size="sm"
				color="alternative">Stamp sites</Button
			>{/if}
	{/snippet}
	{#snippet more()}
		{#if mayDo('see renderings')}<MenuLink href="/sites/patterns">Patterns</MenuLink><MenuLink href="/values"
				>Values</MenuLink
			><MenuLink href="/addresses">Addresses</MenuLink>{/if}
		{#if mayDo('plan sites')}<MenuLink href="/sites/connectors">Connectors</MenuLink>{/if}
		<MenuLink href="/sites/week">Appointments by week</MenuLink>
		<MenuLink href="/sites/reachability">Who reaches whom</MenuLink>
		<MenuLink href="/units">Units</MenuLink>
	{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-3">
	{#if data.view === 'map'}
		<nav class="flex flex-wrap items-baseline gap-x-6 gap-y-1" aria-label="Which are shown">
			{@render standings((change) => {
				const filters = { ...data.query.filters, ...change.filters };
				const kept = new URLSearchParams(change.filters ? change.filters : filters);
				if (data.query.text) kept.set('q', data.query.text);
				return `/sites?${kept}`;
			})}
		</nav>
		<div class="mt-3">
			{#key `${data.query.text} ${data.query.filters.standing}`}<SiteMap
					sites={onMap}
					title="Where are they?{onMap.length < data.first.total
						? ` ${data.first.total - onMap.length} are not on it: their place is not known, or there are too many.`
						: ''}"
					height={540}
				/>{/key}
		</div>
	{:else}
		<WorkList
			things="sites"
			definition={SITE_LIST}
			{query}
			first={data.first}
			path="/sites"
			rowsAt="/sites/rows"
			placeholder="Name, place, street or customer"
			views={data.views}
			href={({ id }) => `/sites/${id}`}
			nameOf={({ name }) => name}
			field="site"
			filters={standings}
			acts={mayDo('bind') ? bulk : undefined}
			{cell}
			{takeAway}
		>
			{#snippet empty()}
				{#if total === 0 && data.query.text === ''}
					There are no sites yet{data.customerId ? ' for this customer' : ''}.
				{:else}No site fits. <a href="/sites" class="underline">Show all</a>{/if}
			{/snippet}
		</WorkList>
	{/if}
</div>

{#snippet cell(site: (typeof data.first.rows)[0], column: string)}
	{#if column === 'name'}<a href="/sites/{site.id}" tabindex="-1" class="font-semibold">{site.name}</a>
	{:else if column === 'standing'}<Standing standing={site.word} word={siteWords(site.word)} />
	{:else if column === 'online'}{site.online} of {site.positions}
	{:else if column === 'place'}<span title="{site.street}, {site.locality}"
			>{[site.street, site.locality].filter(Boolean).join(', ')}</span
		>
	{:else if column === 'uplink'}{UPLINK_WORDS[site.uplink]}
	{:else if column === 'appointment'}{site.appointmentAt
			? momentOf(new Date(site.appointmentAt), site.timeZone)
			: ''}
	{:else if column === 'technician'}{site.technicianName ?? ''}
	{:else if column === 'contact'}<span title={site.contact}>{site.contact}</span>
	{:else if column === 'pattern'}{site.patternName ?? ''}
	{:else}<span class="quiet">{site.customerName}</span>{/if}
{/snippet}

{#snippet takeAway(address: string)}
	<MenuLink href="/sites/file?{address}" download>CSV</MenuLink>
	<MenuLink href="/sites/file?{address}&as=xlsx" download>XLSX</MenuLink>
	<MenuLink href="/sites/geojson" download>GeoJSON</MenuLink>
{/snippet}

{#snippet bulk({
	count,
	fields,
	done
}: {
	count: number;
	fields: import('svelte').Snippet;
	done: () => void;
})}
	{#if mayDo('plan sites')}
		<form
			method="POST"
			action="?/technician"
			class="flex items-center gap-2"
			use:act={() =>
				async ({ result, update }) => {
					await update({ reset: false });
					if (result.type === 'success') done();
				}}
		>
			{@render fields()}
			<FormField
				label="Who goes there"
				bare
				kind="select"
				class="w-44"
				name="technician"
				value=""
				none="who goes there"
				items={[
					...data.technicians.map(({ id, name }) => ({ value: id, name })),
					{ value: 'nobody', name: 'nobody' }
				]}
			/>
			<DateField
				label="When, in each site’s time"
				bare
				class="w-96"
				name="appointment"
				zone="each site’s time"
			/>
			<Button type="submit" size="xs">Send to {counted(count, 'site')}</Button>
		</form>
	{/if}
	{#if mayDo('see renderings')}<form
			method="POST"
			action="?/rehearse"
			use:act={() =>
				async ({ result, update }) => {
					await update({ reset: false });
					if (result.type === 'success') done();
				}}
		>
			{@render fields()}
			<Button type="submit" size="xs" color="alternative">Rehearse {counted(count, 'site')}</Button>
		</form>{/if}
	<form method="POST" action="/sites/cards" target="_blank">
		{@render fields()}
		<Button type="submit" size="xs" color="alternative">{counted(count, 'card')}</Button>
	</form>
{/snippet}
