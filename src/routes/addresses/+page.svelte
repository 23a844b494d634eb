<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { page } from '$app/state';
	import { refreshOn } from '$ui/live';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));
	let kind = $state<'prefix' | 'number'>('prefix');
	let scope = $state('site');
	let block = $state('');
	const making = $derived(page.url.searchParams.has('make') || data.pools.length === 0);
	const mine = $derived(data.customers.filter(({ id }) => mayDo('plan addresses', id)));
</script>

<PageHead title="Addresses">
	{#snippet acts()}
		{#if mine.length > 0}<Button href="?make=pool" size="sm">Make a pool</Button>{/if}
		<Button href="/addresses/tunnels" size="sm" color="alternative">Tunnels</Button>
		<Button href="/values" size="sm" color="alternative">Values</Button>
	{/snippet}
	{#snippet more()}{#if mayDo('reach units')}<MenuLink href="/addresses/ways">Ways in</MenuLink><MenuLink
				href="/addresses/logins">Logins</MenuLink
			><MenuLink href="/addresses/surveys">Surveys</MenuLink>{/if}{/snippet}
	{#snippet about()}<span
			>Pools give each site its block, its number, its tunnel. What is allotted stays until it is released.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if making && mine.length > 0}
	<form
		method="POST"
		action="?/make&make=pool"
		use:act={() =>
			({ update }) =>
				update({ reset: false })}
		class="sheet mt-3 p-4"
	>
		<h2>Make a pool</h2>
		<div class="mt-2 flex flex-wrap gap-4">
			<FormField label="Customer" kind="select" name="customer" stored={data.customerId ?? mine[0]?.id}
				>{#each mine as customer (customer.id)}<option value={customer.id}>{customer.name}</option
					>{/each}</FormField
			>
			<FormField
				label="Name"
				class="grow"
				name="name"
				required
				maxlength={120}
				placeholder="Clinic networks"
				autocomplete="off"
			/>
			<FormField label="For each" kind="select" name="scope" bind:value={scope}
				><option>site</option><option>position</option><option>tunnel</option></FormField
			>
			{#if scope === 'tunnel'}
				<input type="hidden" name="field" value="tunnels" />
			{:else}
				<FormField
					label="gives values to the field"
					mono
					name="field"
					required
					placeholder="lan"
					spellcheck="false"
					autocomplete="off"
				/>
			{/if}
		</div>
		<div class="mt-3 flex flex-wrap items-end gap-4">
			<FormField label="Out of" kind="select" bind:value={kind} disabled={scope === 'tunnel'}
				><option value="prefix">a block of addresses</option><option value="number">a range of numbers</option
				></FormField
			>
			{#if kind === 'prefix' || scope === 'tunnel'}
				<FormField
					label="Block"
					mono
					name="block"
					bind:value={block}
					required
					placeholder="10.40.0.0/16"
					spellcheck="false"
				/>
				{#if scope === 'tunnel'}
					<!-- Two addresses, one for each end -->
					<input type="hidden" name="length" value={block.includes(':') ? 127 : 31} />
				{:else}
					<FormField
						label="Length of each"
						mono
						name="length"
						required
						placeholder="24"
						inputmode="numeric"
					/>
				{/if}
				<FormField label="Where the next is cut" kind="select" name="policy"
					><option value="next-free">the lowest free place</option><option value="reserve-for-growth"
						>beside room to double</option
					></FormField
				>
			{:else}
				<FormField label="From" mono name="first" required inputmode="numeric" />
				<FormField label="To" mono name="last" required inputmode="numeric" />
			{/if}
			<FormField label="Warn when fewer are left than" name="warn" value="10" inputmode="numeric" />
			<Button type="submit" size="sm">Make pool</Button>
		</div>
		<p class="quiet mt-2">Values in use that lie in it are taken over.</p>
	</form>
{/if}
{#if data.pools.length === 0}
	<p class="sheet mt-4 p-6">There is no pool yet{mine.length === 0 ? '.' : ': make the first above.'}</p>
{:else}
	<Table classes={{ div: 'mt-4' }}>
		<TableHead
			><TableHeadCell>Pool</TableHeadCell><TableHeadCell>Customer</TableHeadCell><TableHeadCell
				>Range</TableHeadCell
			><TableHeadCell>Gives</TableHeadCell><TableHeadCell>In use</TableHeadCell><TableHeadCell
				>Left</TableHeadCell
			><TableHeadCell>Waiting</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.pools as pool (pool.id)}
				<TableBodyRow
					><TableBodyCell><a href="/addresses/{pool.id}" class="font-semibold">{pool.name}</a></TableBodyCell
					><TableBodyCell>{pool.customerName}</TableBodyCell><TableBodyCell class="mono"
						>{pool.block ?? `${pool.firstNumber} to ${pool.lastNumber}`}</TableBodyCell
					><TableBodyCell
						>{#if pool.scope !== 'tunnel'}<span class="mono">{pool.field}</span>{/if}
						<span class="quiet"
							>{pool.length === null ? 'a number' : `a /${pool.length}`} per {pool.scope}</span
						></TableBodyCell
					><TableBodyCell>{pool.used}</TableBodyCell><TableBodyCell
						>{#if pool.left < pool.wanting}<b class="text-[var(--brick)]">{pool.left}: too few</b
							>{:else if pool.left < pool.warnBelow}<b class="text-[var(--amber)]">{pool.left}: running out</b
							>{:else}{pool.left}{/if}</TableBodyCell
					><TableBodyCell
						>{#if pool.wanting > 0}<a href="/addresses/{pool.id}#waiting"
								>{counted(pool.wanting, pool.scope)}</a
							>{:else}–{/if}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}
