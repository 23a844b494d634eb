<script lang="ts">
	import { PageHead, Table } from '$ui/kit';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { refreshOn } from '$ui/live';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	onMount(() => refreshOn(['plan']));
	const mine = $derived(data.customers.filter(({ id }) => mayDo('plan sites', id)));
</script>

<PageHead title="Site patterns">
	{#snippet acts()}
		{#if mine.length > 0}<Button href="/sites/patterns/new" size="sm">Make a pattern</Button><Button
				href="/sites/stamp"
				size="sm"
				color="alternative">Stamp sites</Button
			>{/if}
	{/snippet}
	{#snippet about()}<span>What the sites of a kind have in common. Many sites are stamped from one.</span
		>{/snippet}
</PageHead>
{#if data.patterns.length === 0}
	<p class="sheet mt-4 p-6">
		There are no patterns yet{data.customerId ? ' for this customer' : ''}.
		{#if mine.length > 0}<a href="/sites/patterns/new">Make one</a>, or open a site that is as it should be
			and make a pattern of it.{/if}
	</p>
{:else}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>Pattern</TableHeadCell><TableHeadCell>Positions</TableHeadCell><TableHeadCell
				>Sites</TableHeadCell
			>{#if !data.customerId}<TableHeadCell>Customer</TableHeadCell>{/if}<TableHeadCell
				>What it is for</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.patterns as pattern (pattern.id)}
				<TableBodyRow>
					<TableBodyCell
						><a href="/sites/patterns/{pattern.id}" class="font-semibold">{pattern.name}</a></TableBodyCell
					>
					<TableBodyCell>{pattern.positions.join(', ')}</TableBodyCell>
					<TableBodyCell>{pattern.sites}</TableBodyCell>
					{#if !data.customerId}<TableBodyCell class="quiet">{pattern.customerName}</TableBodyCell>{/if}
					<TableBodyCell class="quiet">{pattern.note}</TableBodyCell>
				</TableBodyRow>
			{/each}
		</TableBody>
	</Table>
{/if}
