<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { STATES, WaveLine } from '$ui/rollout';

	let { data, form } = $props();
	onMount(() => refreshOn(['rollouts'], { rest: 1000 }));
	const underWay = $derived(data.rollouts.filter(({ state }) => state === 'under way').length);
	const stopped = $derived(data.rollouts.filter(({ state }) => state === 'stopped').length);
</script>

<PageHead title="Rollouts">
	{#snippet state()}<span class="flex flex-wrap items-baseline gap-x-4"
			>{#if stopped > 0}<Standing standing="stuck" word="{stopped} stopped" />{/if}{#if underWay > 0}<Standing
					standing="moving"
					word="{underWay} under way"
				/>{/if}</span
		>{/snippet}
	{#snippet acts()}{#if mayDo('send')}<form method="POST" action="?/draft" use:act class="contents">
				<Button type="submit" name="kind" value="firmware" size="sm">Plan for old firmware</Button>
				<Button type="submit" name="kind" value="due" size="sm" color="alternative"
					>Plan for what is due</Button
				>
			</form>{/if}{/snippet}
	{#snippet about()}<a href="/arrivals">Arrivals</a><span
			>The same for many units: in waves, inside their windows, with a stop when too many fail.</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if data.rollouts.length === 0}
	<p class="sheet mt-4 p-6">
		There has been no rollout yet. Plan one here for all units that are <a href="/upkeep/behind">behind</a>, or
		choose units in the <a href="/units">list of units</a>. A plan shows its waves and its end before anything
		begins.
	</p>
{:else}
	<ul class="sheet mt-4" aria-label="Rollouts">
		{#each data.rollouts as one (one.id)}
			<li data-rollout={one.state}>
				<div class="min-w-0">
					<p class="flex flex-wrap items-center gap-x-3">
						<a href="/arrivals/rollouts/{one.id}" class="font-semibold">{one.title}</a>
						<Standing standing={STATES[one.state][0]} word={STATES[one.state][1]} />
						<span class="quiet"
							>{counted(one.total, 'unit')}, by {one.actor},
							{#if one.endedAt}over <When at={one.endedAt} />{:else if one.begunAt}begun <When
									at={one.begunAt}
								/>{:else}planned <When at={one.plannedAt} />{/if}</span
						>
					</p>
					{#if one.state !== 'planned'}<WaveLine {...one} />{/if}
					{#if one.words}<p class="mt-0.5">{one.words}</p>{/if}
				</div>
			</li>
		{/each}
	</ul>
{/if}
