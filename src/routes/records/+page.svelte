<script lang="ts">
	import { FormField, PageHead, Table } from '$ui/kit';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	const filter = $derived(data.filter);
	const narrowed = $derived(
		[filter.act, filter.actor, filter.text, filter.subjectId, filter.from, filter.to].some(Boolean)
	);
	/** This page's address with one thing changed. */
	const withQuery = (name: string, value: string) => {
		const query = new URLSearchParams(page.url.searchParams);
		query.set(name, value);
		return `?${query}`;
	};
	const WHERE: Record<string, string | undefined> = $derived({
		unit: '/units/',
		site: '/sites/',
		profile: '/profiles/',
		...(mayDo('manage people') && { person: '/people?person=' })
	});
</script>

<PageHead title="Records">
	{#snippet acts()}<Button href="/records/reports" size="sm" color="alternative">Reports</Button><Button
			href="/handovers"
			size="sm"
			color="alternative">Handovers</Button
		><Button href="/records/intended" size="sm" color="alternative">As intended</Button><Button
			href="/records/csv{data.query}"
			size="sm"
			color="alternative"
			download>Download as CSV</Button
		>{/snippet}
	{#snippet about()}<span>Who did what, and when. Nothing here is ever changed or removed.</span>{/snippet}
</PageHead>
<form class="filters mt-3" action="/records">
	<FormField label="Act" kind="select" name="act" stored={filter.act ?? ''}>
		<option value="">every act</option>
		{#each data.acts as act (act)}<option value={act}>{act}</option>{/each}
	</FormField>
	<FormField label="Who" name="who" stored={filter.actor ?? ''} maxlength={100} />
	<FormField
		label="What"
		name="text"
		stored={filter.text ?? ''}
		maxlength={100}
		placeholder="serial, site, words"
	/>
	<FormField label="From" kind="date" name="from" stored={filter.from ?? ''} />
	<FormField label="Until" kind="date" name="to" stored={filter.to ?? ''} />
	{#if filter.subjectId}<input type="hidden" name="thing" value={filter.subjectId} />{/if}
	<Button type="submit" size="sm">Show records</Button>
	{#if narrowed}<a href="/records">Show everything</a>{/if}
</form>
{#if data.entries.length === 0}<p class="sheet mt-3 p-6">
		{narrowed ? 'Nothing is recorded that fits.' : 'Nothing is recorded yet.'}
	</p>{:else}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>No.</TableHeadCell><TableHeadCell>When</TableHeadCell><TableHeadCell>Who</TableHeadCell
			><TableHeadCell>Act</TableHeadCell><TableHeadCell>What</TableHeadCell><TableHeadCell>From</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.entries as entry (entry.id)}
				<TableBodyRow>
					<TableBodyCell class="quiet">{entry.id}</TableBodyCell>
					<TableBodyCell class="quiet whitespace-nowrap"><When at={entry.at} /></TableBodyCell>
					<TableBodyCell class="whitespace-nowrap">{entry.actor}</TableBodyCell>
					<TableBodyCell class="whitespace-nowrap"
						>{entry.act}{#if entry.result === 'refused'}, <b>refused</b>{/if}</TableBodyCell
					>
					<TableBodyCell class="whitespace-pre-line"
						>{#if WHERE[entry.subjectKind]}<a href="{WHERE[entry.subjectKind]}{entry.subjectId}"
								>{entry.words}</a
							>{:else}{entry.words}{/if}{#if entry.reason}
							<div class="quiet">Why: {entry.reason}</div>{/if}{#if entry.before || entry.after}
							<details class="inline">
								<summary class="quiet inline cursor-pointer">before and after</summary>
								<pre class="config-text">{JSON.stringify(
										{ before: entry.before, after: entry.after },
										null,
										2
									)}</pre>
							</details>{/if}</TableBodyCell
					>
					<TableBodyCell class="mono quiet">{entry.address ?? ''}</TableBodyCell>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>

	{#if data.older}<p class="mt-3"><a href={withQuery('before', data.older)}>Older</a></p>{/if}
{/if}

<style>
	.filters {
		display: flex;
		flex-wrap: wrap;
		align-items: end;
		gap: 0.8rem;
	}
	.filters > :global(div) {
		min-width: 9rem;
	}
</style>
