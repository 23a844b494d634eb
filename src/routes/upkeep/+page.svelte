<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { TOUCHES } from '$core/drift';
	import { counted } from '$core/text';
	import { FindingMeans, FindingText, TOUCH_WORDS, UpkeepRooms } from '$ui/drift';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';

	let { data } = $props();
	onMount(() => refreshOn(['drift'], { rest: 1000 }));
	const counts = $derived(data.counts);
	const open = $derived(Object.values(counts.touches).reduce((sum, count) => sum + count, 0));
</script>

<PageHead title="Drift">
	{#snippet state()}
		<span class="flex flex-wrap items-baseline gap-x-4">
			{#if counts.differs > 0}<a href="/units?drift=differs"
					><Standing
						standing="stuck"
						word="{counted(counts.differs, 'unit')} {counts.differs === 1 ? 'runs' : 'run'} something else"
					/></a
				>{/if}
			{#if counts.unreadable > 0}<a href="/units?drift=unreadable"
					><Standing standing="stalled" word="{counts.unreadable} cannot be read" /></a
				>{/if}
			<a href="/units?drift=as-intended"
				><Standing standing="through" word="{counts.asIntended} of {counts.looked} as intended" /></a
			>
		</span>
	{/snippet}
	{#snippet acts()}<Button href="/upkeep/most" size="sm" color="alternative">What drifts most</Button><Button
			href="/records/intended"
			size="sm"
			color="alternative">As intended, from when to when</Button
		>{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>

{#if open + counts.left > 0}<nav aria-label="What it touches" class="mt-3 flex flex-wrap gap-x-4 gap-y-1">
		<a href="/upkeep" aria-current={data.touches === null && !data.left ? 'true' : undefined}>all {open}</a>
		{#each TOUCHES as touches (touches)}{#if counts.touches[touches]}<a
					href="/upkeep?touches={encodeURIComponent(touches)}"
					aria-current={data.touches === touches ? 'true' : undefined}
					>{counts.touches[touches]}
					{TOUCH_WORDS[touches].replace('touches', counts.touches[touches] === 1 ? 'touches' : 'touch')}</a
				>{/if}{/each}
		{#if counts.left > 0}<a href="/upkeep?left" aria-current={data.left ? 'true' : undefined}
				>{counts.left} left for now</a
			>{/if}
	</nav>{/if}

{#if data.groups.length === 0}
	<p class="sheet mt-4 p-6">
		{#if counts.looked === 0}Nothing was read yet. Units that are online are read by their customer’s rule,
			and when they come back.
		{:else if data.left}Nothing is left for now.
		{:else}What runs is what should run, at {counted(counts.looked, 'unit')}. {#if counts.left > 0}<a
					href="/upkeep?left">{counts.left} left for now</a
				>.{/if}{/if}
	</p>
{:else}
	<ul class="sheet mt-3" aria-label="What differs, the same at several units together">
		{#each data.groups as group (group.id)}
			<li data-finding={group.id}>
				<div class="min-w-0">
					<p class="flex flex-wrap items-center gap-x-3">
						<b
							>{#if group.where}<a href="/units/{group.unitId}/versions">{group.where}</a>{:else}<a
									href="/upkeep/findings/{group.id}"
									>{counted(group.units, 'unit')} at {counted(group.sites, 'site')}</a
								>{/if}</b
						>
						<FindingMeans touches={group.touches} />
						<span class="quiet"
							>since <When at={group.since} />{#if group.byWhom.length > 0}, by {group.byWhom.join(
									', '
								)}{/if}</span
						>
					</p>
					<FindingText finding={group} brief />
				</div>
				<Button href="/upkeep/findings/{group.id}" size="xs" color="alternative">Decide</Button>
			</li>
		{/each}
	</ul>
	<p class="mt-2 flex gap-4">
		{#if data.offset > 0}<a href="?offset={Math.max(0, data.offset - data.atOnce)}">earlier ones</a>{/if}
		{#if data.groups.length === data.atOnce}<a href="?offset={data.offset + data.atOnce}">more of them</a
			>{/if}
	</p>
{/if}

<style>
	li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.3rem 1.2rem;
		align-items: start;
	}
</style>
