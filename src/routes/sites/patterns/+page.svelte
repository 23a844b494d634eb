<script lang="ts">
	import { onMount } from 'svelte';
	import { refreshOn } from '$ui/live';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	onMount(() => refreshOn(['plan']));
	const mine = $derived(data.customers.filter(({ id }) => mayDo('plan sites', id)));
</script>

<svelte:head><title>Site patterns · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Site patterns</h1>
	{#if mine.length > 0}<a href="/sites/patterns/new">Make a pattern</a>
		<a href="/sites/stamp">Stamp sites</a>{/if}
</div>
<p class="quiet mt-1">What the sites of a kind have in common. Many sites are stamped from one.</p>
{#if data.patterns.length === 0}
	<p class="sheet mt-4 p-6">
		There are no patterns yet{data.customerId ? ' for this customer' : ''}.
		{#if mine.length > 0}<a href="/sites/patterns/new">Make one</a>, or open a site that is as it should be
			and make a pattern of it.{/if}
	</p>
{:else}
	<div class="sheet mt-3 overflow-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Pattern</th><th>Positions</th><th>Sites</th>{#if !data.customerId}<th>Customer</th>{/if}<th
						>What it is for</th
					></tr
				></thead
			>
			<tbody>
				{#each data.patterns as pattern (pattern.id)}
					<tr>
						<td><a href="/sites/patterns/{pattern.id}" class="font-semibold">{pattern.name}</a></td>
						<td>{pattern.positions.join(', ')}</td>
						<td>{pattern.sites}</td>
						{#if !data.customerId}<td class="quiet">{pattern.customerName}</td>{/if}
						<td class="quiet">{pattern.note}</td>
					</tr>
				{/each}
			</tbody>
		</table>
	</div>
{/if}
