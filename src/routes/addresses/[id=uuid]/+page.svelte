<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { refreshOn } from '$ui/live';
	import { AddressMap } from '$ui/charts';
	import { When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));
	const pool = $derived(data.pool);
	const mayPlan = $derived(mayDo('plan addresses', pool.customerId));
	const wordsOf = (one: (typeof data.allotments)[0]) =>
		[one.siteName, one.positionName].filter(Boolean).join(' ') || one.label;
	const held = $derived(
		data.allotments.flatMap((one) =>
			one.block === null ? [] : [{ id: one.id, block: one.block, words: wordsOf(one), siteId: one.siteId }]
		)
	);
	let chosen = $state<string | null>(null);
	const chosenOne = $derived(data.allotments.find(({ id }) => id === chosen) ?? null);
	const freeWords = $derived(
		data.free.map((one) =>
			typeof one === 'string'
				? one
				: one.first === one.last
					? String(one.first)
					: `${one.first} to ${one.last}`
		)
	);
	const MOST = 400;
</script>

<svelte:head><title>{pool.name} · Limen</title></svelte:head>
<h1>{pool.name}</h1>
<p class="quiet mt-1">
	{pool.customerName} · <span class="mono">{pool.block ?? `${pool.firstNumber} to ${pool.lastNumber}`}</span>, {pool.length ===
	null
		? 'a number'
		: `a /${pool.length}`} per {pool.scope} as <span class="mono">{pool.field}</span>
</p>
<p class="mt-1">
	<a href="/addresses">All pools</a> · <RecordsOf
		what="this pool"
		id={pool.id}
		customerId={pool.customerId}
	/>
</p>
<FormWords {form} />
<p class="mt-3 text-lg">
	<b>{data.allotments.length}</b> in use, room for <b>{data.left}</b>
	more{#if data.left < data.wanting.length}:
		<b class="text-[var(--brick)]">too few, {data.wanting.length} are wanted</b
		>{:else if data.left < pool.warnBelow}:
		<b class="text-[var(--amber)]">running out</b>{/if}
</p>
{#if pool.block}
	<section class="sheet mt-3 p-4">
		<h2>What is used, and what is free</h2>
		<div class="mt-2"><AddressMap block={pool.block} {held} free={freeWords} bind:chosen /></div>
		{#if chosenOne}<p class="mt-2" data-testid="chosen-block">
				<b class="mono">{chosenOne.block}</b>
				{#if chosenOne.siteId}<a href="/sites/{chosenOne.siteId}">{wordsOf(chosenOne)}</a>{:else}{wordsOf(
						chosenOne
					)}{/if}
			</p>{/if}
	</section>
{/if}
<div class="two mt-5">
	<section>
		<h2>In use</h2>
		<div class="sheet mt-2 max-h-[32rem] overflow-auto">
			<table class="work-table">
				<thead
					><tr><th>{pool.block ? 'Block' : 'Number'}</th><th>Who has it</th><th>Since</th><th></th></tr
					></thead
				>
				<tbody>
					{#each data.allotments.slice(0, MOST) as one (one.id)}
						<tr class:chosen={one.id === chosen}
							><td class="mono">{one.block ?? one.number}</td><td
								>{#if one.siteId}<a href="/sites/{one.siteId}">{wordsOf(one)}</a>{:else}{wordsOf(
										one
									)}{/if}</td
							><td class="quiet"><When at={one.allottedAt} /></td><td
								>{#if mayPlan}<form method="POST" action="?/release" use:enhance>
										<input type="hidden" name="allotment" value={one.id} />
										<Button
											type="submit"
											size="xs"
											color="alternative"
											aria-label="Release {one.block ?? one.number}">Release</Button
										>
									</form>{/if}</td
							></tr
						>
					{:else}<tr><td colspan="4" class="quiet">Nothing is in use yet.</td></tr>{/each}
				</tbody>
			</table>
		</div>
		{#if data.allotments.length > MOST}<p class="quiet mt-1">The first {MOST} are shown.</p>{/if}
	</section>
	<section>
		<h2 id="waiting">Waiting for a value</h2>
		{#if data.wanting.length === 0}<p class="quiet mt-2">
				Every {pool.scope} that needs “{pool.field}” has it.
			</p>{:else}
			<p class="mt-2">
				{data.wanting
					.slice(0, 12)
					.map(({ siteName, positionName }) => [siteName, positionName].filter(Boolean).join(' '))
					.join(', ')}{data.wanting.length > 12 ? ` and ${data.wanting.length - 12} more` : ''}
			</p>
			{#if mayPlan}<form method="POST" action="?/allot" use:enhance class="mt-2">
					<Button type="submit" size="sm" disabled={data.left < data.wanting.length}
						>Allot to {data.wanting.length} {pool.scope}{data.wanting.length === 1 ? '' : 's'}</Button
					>
				</form>{/if}
		{/if}
		<h2 class="mt-6">Free</h2>
		<p class="mono mt-1">
			{freeWords.slice(0, 24).join(', ') || 'nothing'}{freeWords.length > 24 ? ' …' : ''}
		</p>
		{#if mayPlan}
			<form method="POST" action="?/used" use:enhance class="mt-6">
				<label
					><b>Note what is used elsewhere</b>
					<span class="quiet block">One a line, then what it is for</span>
					<textarea
						name="used"
						rows="4"
						class="field mono"
						required
						placeholder={pool.block ? '10.40.200.0/24 old phone network' : '12 kept for the hub'}
						spellcheck="false"></textarea></label
				>
				<Button type="submit" size="sm" color="alternative" class="mt-2">Note as in use</Button>
			</form>
		{/if}
	</section>
</div>

<style>
	.two {
		display: grid;
		grid-template-columns: minmax(0, 1.3fr) minmax(0, 1fr);
		gap: 2rem;
		align-items: start;
	}
	tr.chosen {
		background: var(--chosen);
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
