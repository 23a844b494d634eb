<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { Button, Checkbox, Radio } from 'flowbite-svelte';
	import { dayOf } from '$core/text';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	onMount(() => refreshOn(['runs', 'units']));
	let kind = $state('ask');
	let chosen = $state(
		untrack(() => data.units.flatMap(({ unitId, problem }) => (problem === null ? [unitId] : [])))
	);
</script>

<PageHead title="Files for a USB stick">
	{#snippet about()}<a href="/sites/{data.site.id}">{data.site.name}</a><span
			>For units whose network cannot tell them where to ask. They are signed: each unit takes its own, and
			nothing that somebody has changed.</span
		>{/snippet}
</PageHead>
{#if data.units.length === 0}
	<p class="sheet mt-4 p-6">
		No unit is bound to a position here. <a href="/sites/{data.site.id}">Bind one first.</a>
	</p>
{:else}
	<form method="POST" action="/bundles" class="mt-3 max-w-3xl">
		<fieldset class="sheet p-4">
			<legend class="sr-only">Units</legend>
			<ul class="grid gap-3">
				{#each data.units as unit (unit.unitId)}
					<li class="flex items-start gap-3" data-unit={unit.serial}>
						<Checkbox
							name="unit"
							value={unit.unitId}
							disabled={unit.problem !== null}
							bind:group={chosen}
							aria-label={unit.serial}
						/>
						<div>
							<a href="/units/{unit.unitId}"><Serial serial={unit.serial} /></a>
							<span class="quiet">{unit.place}</span>
							<div class="quiet text-sm">
								{#if unit.problem}{unit.problem}{:else}Good until {dayOf(unit.goodUntil!)}.{/if}
								{#if unit.madeAt}Files were made <When at={unit.madeAt} />; {#if unit.heardSince}it was heard
										of <When at={unit.heardSince} />.{:else}nothing was heard of it since.{/if}{/if}
							</div>
						</div>
					</li>
				{/each}
			</ul>
		</fieldset>
		<fieldset class="mt-4">
			<legend class="font-semibold">What is in them</legend>
			<Radio name="kind" value="ask" bind:group={kind} class="mt-2 items-start [&_input]:mt-1"
				><span class="ml-1"
					>Where to ask <span class="quiet block font-normal"
						>and how to know that server. The unit needs a way to it. No secrets.</span
					></span
				></Radio
			>
			{#if mayDo('reveal secret', data.site.customerId)}<Radio
					name="kind"
					value="all"
					bind:group={kind}
					class="mt-2 items-start [&_input]:mt-1"
					><span class="ml-1"
						>All that it is to become <span class="quiet block font-normal"
							>with its passwords: erase the stick afterwards. Other firmware it fetches from Limen. It dials
							home with a key that somebody has to confirm at the door.</span
						></span
					></Radio
				>{/if}
		</fieldset>
		<Button type="submit" class="mt-4" disabled={chosen.length === 0}
			>Download for {chosen.length === 1 ? 'one unit' : `${chosen.length} units`}</Button
		>
	</form>
{/if}
