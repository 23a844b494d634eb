<script lang="ts">
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { SvelteSet } from 'svelte/reactivity';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
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

<svelte:head><title>{data.pattern.name} · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>{data.pattern.name}</h1>
	<span class="quiet"
		>site pattern of {customer}; {counted(data.followers.length, 'site')} stamped from it</span
	>
	{#if mayWrite}<a href="/sites/stamp?pattern={data.pattern.id}">Stamp sites from it</a>{/if}
</div>
<FormWords {form} />
<div class="sheet mt-3 p-4">
	{#key `${data.pattern.id} ${data.pattern.edit}`}<PatternEditor
			pattern={data.pattern}
			profiles={data.profiles}
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
	<form method="POST" action="?/follow" use:enhance class="mt-2">
		<div class="sheet overflow-auto">
			<table class="work-table">
				<thead
					><tr
						><th><span class="sr-only">Chosen</span></th><th>Site</th><th>What would change</th><th
							>What stays its own</th
						></tr
					></thead
				>
				<tbody>
					{#each [...behind, ...kept] as follower (follower.siteId)}
						<tr>
							<td class="w-10"
								>{#if mayWrite && follower.differences.length > 0}<input
										type="checkbox"
										name="site"
										value={follower.siteId}
										aria-label="Let {follower.siteName} follow"
										checked={!left.has(follower.siteId)}
										onchange={({ currentTarget }) =>
											currentTarget.checked ? left.delete(follower.siteId) : left.add(follower.siteId)}
									/>{/if}</td
							>
							<td><a href="/sites/{follower.siteId}">{follower.siteName}</a></td>
							<td
								>{#if follower.differences.length > 0}<Differences
										differences={follower.differences}
									/>{:else}<span class="quiet">as the pattern says</span>{/if}</td
							>
							<td class="quiet">{follower.kept.join('; ')}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
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
		<form method="POST" action="?/remove" use:enhance class="mt-2">
			<p>Its {data.followers.length} sites stay as they are, and follow nothing any more.</p>
			<Button type="submit" size="sm" color="alternative" class="mt-2">Remove the pattern</Button>
		</form>
	</details>
{/if}
