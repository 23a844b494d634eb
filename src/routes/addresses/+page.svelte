<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { page } from '$app/state';
	import { refreshOn } from '$ui/live';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));
	let kind = $state<'prefix' | 'number'>('prefix');
	const making = $derived(page.url.searchParams.has('make') || data.pools.length === 0);
	const mine = $derived(data.customers.filter(({ id }) => mayDo('plan addresses', id)));
</script>

<svelte:head><title>Addresses · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Addresses</h1>
	{#if mine.length > 0}<a href="?make=pool">Make a pool</a>{/if}
	<a href="/values">Values</a>
</div>
<p class="quiet mt-1">
	Pools give each site its block, its number, its tunnel. What is allotted stays until it is released.
</p>
<FormWords {form} />
{#if making && mine.length > 0}
	<form
		method="POST"
		action="?/make&make=pool"
		use:enhance={() =>
			({ update }) =>
				update({ reset: false })}
		class="sheet mt-3 p-4"
	>
		<h2>Make a pool</h2>
		<div class="mt-2 flex flex-wrap gap-4">
			<label
				>Customer <select name="customer" class="field" value={data.customerId ?? mine[0]?.id}
					>{#each mine as customer (customer.id)}<option value={customer.id}>{customer.name}</option
						>{/each}</select
				></label
			>
			<label class="grow"
				>Name <input
					name="name"
					class="field"
					required
					maxlength="120"
					placeholder="Clinic networks"
					autocomplete="off"
				/></label
			>
			<label
				>Gives values to the field <input
					name="field"
					class="field mono"
					required
					placeholder="lan"
					spellcheck="false"
					autocomplete="off"
				/></label
			>
			<label
				>of each <select name="scope" class="field"><option>site</option><option>position</option></select
				></label
			>
		</div>
		<div class="mt-3 flex flex-wrap items-end gap-4">
			<label
				>Out of <select class="field" bind:value={kind}
					><option value="prefix">a block of addresses</option><option value="number"
						>a range of numbers</option
					></select
				></label
			>
			{#if kind === 'prefix'}
				<label
					>Block <input
						name="block"
						class="field mono"
						required
						placeholder="10.40.0.0/16"
						spellcheck="false"
					/></label
				>
				<label
					>Length of each <input
						name="length"
						class="field mono"
						required
						placeholder="24"
						inputmode="numeric"
					/></label
				>
				<label
					>Where the next is cut
					<select name="policy" class="field"
						><option value="next-free">the lowest free place</option><option value="reserve-for-growth"
							>beside room to double</option
						></select
					></label
				>
			{:else}
				<label>From <input name="first" class="field mono" required inputmode="numeric" /></label>
				<label>To <input name="last" class="field mono" required inputmode="numeric" /></label>
			{/if}
			<label
				>Warn when fewer are left than <input
					name="warn"
					class="field"
					value="10"
					inputmode="numeric"
				/></label
			>
			<Button type="submit" size="sm">Make pool</Button>
		</div>
		<p class="quiet mt-2">Values in use that lie in it are taken over.</p>
	</form>
{/if}
{#if data.pools.length === 0}
	<p class="sheet mt-4 p-6">There is no pool yet{mine.length === 0 ? '.' : ': make the first above.'}</p>
{:else}
	<div class="sheet mt-4 overflow-auto">
		<table class="work-table">
			<thead
				><tr
					><th>Pool</th><th>Customer</th><th>Range</th><th>Gives</th><th>In use</th><th>Left</th><th
						>Waiting</th
					></tr
				></thead
			>
			<tbody>
				{#each data.pools as pool (pool.id)}
					<tr
						><td><a href="/addresses/{pool.id}" class="font-semibold">{pool.name}</a></td><td
							>{pool.customerName}</td
						><td class="mono">{pool.block ?? `${pool.firstNumber} to ${pool.lastNumber}`}</td><td
							><span class="mono">{pool.field}</span>
							<span class="quiet"
								>{pool.length === null ? 'a number' : `a /${pool.length}`} per {pool.scope}</span
							></td
						><td>{pool.used}</td><td
							>{#if pool.left < pool.wanting}<b class="text-[var(--brick)]">{pool.left}: too few</b
								>{:else if pool.left < pool.warnBelow}<b class="text-[var(--amber)]"
									>{pool.left}: running out</b
								>{:else}{pool.left}{/if}</td
						><td
							>{#if pool.wanting > 0}<a href="/addresses/{pool.id}#waiting">{pool.wanting} {pool.scope}s</a
								>{:else}–{/if}</td
						></tr
					>
				{/each}
			</tbody>
		</table>
	</div>
{/if}
