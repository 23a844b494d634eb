<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	onMount(() => refreshOn(['packs']));
</script>

<PageHead title="Makers">
	{#snippet acts()}
		{#if mayDo('edit profiles')}<Button href="/profiles/makers/load" size="sm">Load a pack</Button>{/if}
	{/snippet}
	{#snippet about()}<span
			>All that Limen knows of a maker’s models stands in one file, the maker’s pack.
			<a href="/profiles/makers/schema" download="pack.schema.json">The form of a pack as JSON Schema</a
			></span
		>{/snippet}
</PageHead>
{#if data.makers.length === 0}
	<p class="sheet mt-4 p-6">
		No maker is known yet. <a href="/profiles/makers/load">Load a pack</a>, and its models can be claimed.
	</p>
{:else}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>Maker</TableHeadCell><TableHeadCell>Models</TableHeadCell><TableHeadCell
				>Pack in use</TableHeadCell
			><TableHeadCell>Units</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.makers as maker (maker.id)}
				<TableBodyRow>
					<TableBodyCell
						><a href="/profiles/makers/{maker.id}" class="font-semibold">{maker.name}</a></TableBodyCell
					>
					<TableBodyCell>{maker.models.join(', ')}</TableBodyCell>
					<TableBodyCell
						>{#if maker.version}version {maker.version},
							<span class="quiet">loaded <When at={maker.loadedAt} /> by {maker.loadedBy}</span>{:else}<span
								class="quiet">none: its units cannot be talked to</span
							>{/if}</TableBodyCell
					>
					<TableBodyCell>{maker.units.toLocaleString('en')}</TableBodyCell>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>
{/if}
