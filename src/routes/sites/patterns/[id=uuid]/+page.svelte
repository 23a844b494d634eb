<script lang="ts">
	import { MenuLink, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { FormWords, mayDo } from '$ui/people';
	import { Differences, PatternEditor } from '$ui/plan';

	let { data, form } = $props();
	onMount(() => refreshOn(['plan']));

	const mayWrite = $derived(mayDo('plan sites', data.customerOfPattern));
	const behind = $derived(data.followers.filter(({ differences }) => differences.length > 0));
	/** As the pattern says but for what they decided themselves. */
	const kept = $derived(
		data.followers.filter(({ differences, kept }) => differences.length === 0 && kept.length > 0)
	);
	const left = new SvelteSet<string>();
	const chosen = $derived(behind.filter(({ siteId }) => !left.has(siteId)));
	const customer = $derived(data.customers.find(({ id }) => id === data.customerOfPattern)?.name);
</script>

<PageHead title={data.pattern.name}>
	{#snippet acts()}{#if mayWrite}<Button href="/sites/stamp?pattern={data.pattern.id}" size="sm"
				>Stamp sites from it</Button
			>{/if}{/snippet}
	{#snippet more()}<MenuLink href="/sites/patterns/{data.pattern.id}/proof">What proofs check</MenuLink
		><MenuLink href="/upkeep/windows?pattern={data.pattern.id}">Windows of its sites</MenuLink>{/snippet}
	{#snippet about()}<span
			>site pattern of {customer}; {counted(data.followers.length, 'site')} stamped from it</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="sheet mt-3 p-4">
	{#key `${data.pattern.id} ${data.pattern.edit}`}<PatternEditor
			pattern={data.pattern}
			profiles={data.profiles}
			tunnelEnds={data.tunnelEnds}
			customerId={data.customerOfPattern}
			{mayWrite}
		/>{/key}
</div>

<h2 class="mt-5">Which sites follow</h2>
{#if data.followers.length === 0}
	<p class="mt-1">No site was stamped from it yet.</p>
{:else if behind.length === 0}
	<p class="mt-1">
		<a href="/sites?pattern={data.pattern.id}">All {data.followers.length} sites</a> are as the pattern says{kept.length >
		0
			? `, but for what ${kept.length} of them decided themselves`
			: ''}.
	</p>
{:else}
	<p class="quiet mt-1">
		{behind.length} of {data.followers.length} sites differ from the pattern. What was decided at a site stays its
		own. Following changes the plan; nothing is sent to any unit.
	</p>
{/if}
{#if behind.length > 0 || kept.length > 0}
	<form method="POST" action="?/follow" use:act class="mt-2">
		<Table>
			<TableHead
				><TableHeadCell><span class="sr-only">Chosen</span></TableHeadCell><TableHeadCell>Site</TableHeadCell
				><TableHeadCell>What would change</TableHeadCell><TableHeadCell>What stays its own</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each [...behind, ...kept] as follower (follower.siteId)}
					<TableBodyRow>
						<TableBodyCell class="w-10"
							>{#if mayWrite && follower.differences.length > 0}<input
									type="checkbox"
									name="site"
									value={follower.siteId}
									aria-label="Let {follower.siteName} follow"
									checked={!left.has(follower.siteId)}
									onchange={({ currentTarget }) =>
										currentTarget.checked ? left.delete(follower.siteId) : left.add(follower.siteId)}
								/>{/if}</TableBodyCell
						>
						<TableBodyCell><a href="/sites/{follower.siteId}">{follower.siteName}</a></TableBodyCell>
						<TableBodyCell
							>{#if follower.differences.length > 0}<Differences
									differences={follower.differences}
								/>{:else}<span class="quiet">as the pattern says</span>{/if}</TableBodyCell
						>
						<TableBodyCell class="quiet">{follower.kept.join('; ')}</TableBodyCell>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>

		{#if mayWrite && behind.length > 0}
			<Button type="submit" size="sm" class="mt-3" disabled={chosen.length === 0}
				>Let {counted(chosen.length, 'site')} follow</Button
			>
		{/if}
	</form>
{/if}
{#if mayWrite}
	<details class="mt-6">
		<summary class="cursor-pointer">Remove this pattern</summary>
		<form method="POST" action="?/remove" use:act class="mt-2">
			<p>Its {data.followers.length} sites stay as they are, and follow nothing any more.</p>
			<Button type="submit" size="sm" color="alternative" class="mt-2">Remove the pattern</Button>
		</form>
	</details>
{/if}
