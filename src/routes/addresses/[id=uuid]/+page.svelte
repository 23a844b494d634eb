<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { onMount } from 'svelte';
	import {
		Badge,
		Button,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { AddressMap } from '$ui/charts';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));
	const pool = $derived(data.pool);
	const mayPlan = $derived(mayDo('plan addresses', pool.customerId));
	const wordsOf = (one: (typeof data.allotments)[0]) =>
		one.tunnelName
			? `tunnel ${one.tunnelName}`
			: [one.siteName, one.positionName].filter(Boolean).join(' ') || one.label;
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

<PageHead title={pool.name}>
	{#snippet state()}
		{#if data.left < data.wanting.length}<Badge color="red">too few: {data.wanting.length} are wanted</Badge>
		{:else if data.left < pool.warnBelow}<Badge color="yellow">running out</Badge>{/if}
		<span><b>{data.allotments.length}</b> in use, room for <b>{data.left}</b> more</span>
	{/snippet}
	{#snippet acts()}<Button href="/addresses" size="sm" color="alternative">All pools</Button>{/snippet}
	{#snippet more()}<MenuLink href="/records?thing={pool.id}">Records of this pool</MenuLink>{/snippet}
	{#snippet about()}<span
			>{pool.customerName} ·
			<span class="mono">{pool.block ?? `${pool.firstNumber} to ${pool.lastNumber}`}</span>, {pool.length ===
			null
				? 'a number'
				: `a /${pool.length}`} per {pool.scope}{#if pool.scope !== 'tunnel'}
				as
				<span class="mono">{pool.field}</span>{/if}</span
		>{/snippet}
</PageHead>
<FormWords {form} />
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

		<Table classes={{ div: 'mt-2' }}>
			<TableHead
				><TableHeadCell>{pool.block ? 'Block' : 'Number'}</TableHeadCell><TableHeadCell
					>Who has it</TableHeadCell
				><TableHeadCell>Since</TableHeadCell><TableHeadCell></TableHeadCell></TableHead
			>
			<TableBody>
				{#each data.allotments.slice(0, MOST) as one (one.id)}
					<TableBodyRow class={[one.id === chosen && 'chosen']}
						><TableBodyCell class="mono">{one.block ?? one.number}</TableBodyCell><TableBodyCell
							>{#if one.siteId}<a href="/sites/{one.siteId}">{wordsOf(one)}</a>{:else}{wordsOf(
									one
								)}{/if}</TableBodyCell
						><TableBodyCell class="quiet"><When at={one.allottedAt} /></TableBodyCell><TableBodyCell
							>{#if mayPlan}<form method="POST" action="?/release" use:act>
									<input type="hidden" name="allotment" value={one.id} />
									<Button
										type="submit"
										size="xs"
										color="alternative"
										aria-label="Release {one.block ?? one.number}">Release</Button
									>
								</form>{/if}</TableBodyCell
						></TableBodyRow
					>
				{:else}<TableBodyRow
						><TableBodyCell colspan={4} class="quiet">Nothing is in use yet.</TableBodyCell></TableBodyRow
					>{/each}
			</TableBody>
		</Table>

		{#if data.allotments.length > MOST}<p class="quiet mt-1">The first {MOST} are shown.</p>{/if}
	</section>
	<section>
		<h2 id="waiting">Waiting for a value</h2>
		{#if data.wanting.length === 0}<p class="quiet mt-2">
				{#if pool.scope === 'tunnel'}Tunnels take theirs when they are
					<a href="/addresses/tunnels">planned</a>.{:else}Every {pool.scope} that needs “{pool.field}” has it.{/if}
			</p>{:else}
			<p class="mt-2">
				{data.wanting
					.slice(0, 12)
					.map(({ siteName, positionName }) => [siteName, positionName].filter(Boolean).join(' '))
					.join(', ')}{data.wanting.length > 12 ? ` and ${data.wanting.length - 12} more` : ''}
			</p>
			{#if mayPlan}<form method="POST" action="?/allot" use:act class="mt-2">
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
			<form method="POST" action="?/used" use:act class="mt-6">
				<FormField
					label="Note what is used elsewhere"
					hint="One a line, then what it is for."
					kind="lines"
					mono
					name="used"
					rows={4}
					required
					placeholder={pool.block ? '10.40.200.0/24 old phone network' : '12 kept for the hub'}
					spellcheck="false"
				/>
				<Button type="submit" size="sm" color="alternative" class="mt-2">Note as in use</Button>
			</form>
		{/if}
	</section>
</div>

<style>
	.two {
		--columns: minmax(0, 1.3fr) minmax(0, 1fr);
	}
	:global(tr.chosen) {
		background: var(--chosen);
	}
</style>
