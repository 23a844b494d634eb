<script lang="ts">
	import { Button, Checkbox } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { CHOICES } from '$core/rollout';
	import { counted } from '$core/text';
	import { SizeLine } from '$ui/charts';
	import { UpkeepRooms } from '$ui/drift';
	import { act } from '$ui/forms';
	import { Form, FormField, PageHead } from '$ui/kit';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	const DAY_MS = 86_400_000;
	const dayOf = (day: number) =>
		new Date(day * DAY_MS).toLocaleDateString('en-GB', {
			day: 'numeric',
			month: 'long',
			year: 'numeric',
			timeZone: 'UTC'
		});
	/** Whatever stands in an address: what cannot be decoded stays as it is. */
	const shown = (rule: string) =>
		[...new URLSearchParams(rule)].map(([name, value]) => `${name} ${value}`).join(', ') || 'all units';
	const customers = $derived(
		(page.data.customers as readonly { id: string; name: string }[]).filter(({ id }) => mayDo('send', id))
	);
</script>

<PageHead title="Cohorts">
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<FormWords {form} />
{#if data.replacements.length > 0}
	<section class="mt-4">
		<h2>Models that are replaced</h2>
		<ul class="sheet mt-2" aria-label="Replacements">
			{#each data.replacements as one (one.id)}<li class="short">
					<a href="/upkeep/replacements/{one.id}" class="font-semibold">{one.name}</a>
					<span
						>{#if one.endedAt}over: {one.coming} replaced{:else}<b>{one.going} to go</b>, {one.coming} replaced{/if}</span
					>
					<span class="quiet"
						>by {one.model} at {one.customer}, begun by {one.byWhom} <When at={one.madeAt} /></span
					>
				</li>{/each}
		</ul>
	</section>
{/if}
{#if data.rule && customers.length > 0}
	<Form action="?/keep" casual class="sheet mt-4 flex flex-wrap items-end gap-3 p-4">
		{#snippet children({ busy })}
			<p class="w-full">
				Keep what the list of units shows with <b>{shown(data.rule)}</b>, and count it from today on.
			</p>
			<input type="hidden" name="rule" value={data.rule} />
			<FormField
				label="Of"
				name="customer"
				kind="select"
				value={page.data.customerId ?? customers[0]?.id}
				items={customers.map(({ id, name }) => ({ value: id, name }))}
			/>
			<FormField label="Name" name="name" required maxlength={120} class="grow" />
			<Button type="submit" disabled={busy}>Keep it</Button>
		{/snippet}
	</Form>
{/if}
{#snippet howToMakeOne()}
	filter the <a href="/units">list of units</a> until it shows the group, and choose <i>Keep as a cohort</i> in
	its menu: its size over time is then told here.
{/snippet}
{#if data.cohorts.length === 0}
	<p class="sheet mt-4 p-6">
		A cohort is a group of units that follow a rule, such as a model that is to go. To make one, {@render howToMakeOne()}
	</p>
{:else}
	<ul class="sheet mt-4" aria-label="Cohorts">
		{#each data.cohorts as one (one.id)}
			<li>
				<div class="min-w-0">
					<p class="flex flex-wrap items-baseline gap-x-3">
						<a href="/units?{one.rule}" class="font-semibold">{one.name}</a>
						<b>{counted(one.sizes.at(-1)?.units ?? 0, 'unit')}</b>
						<span class="quiet">{one.customer}, by {one.byWhom}, <When at={one.madeAt} /></span>
					</p>
					<p class="quiet">
						{shown(one.rule)}. {#if one.emptyBy}At this rate it is empty by {dayOf(
								one.emptyBy
							)}.{:else if one.sizes.length < 4}Counted on {counted(one.sizes.length, 'day')}; from the fourth
							on its end is told.{/if}
					</p>
				</div>
				<SizeLine sizes={one.sizes} label={one.name} />
				{#if mayDo('send', one.customerId)}<form method="POST" action="?/drop" use:act>
						<input type="hidden" name="cohort" value={one.id} />
						<Button type="submit" size="xs" color="alternative">Remove</Button>
					</form>{/if}
				<div class="plans flex flex-wrap gap-x-10 gap-y-2">
					{#if mayDo('send', one.customerId)}<Form
							action="/arrivals/rollouts?/draft"
							casual
							class="flex flex-wrap items-end gap-x-4 gap-y-2"
						>
							{#snippet children({ busy })}
								<input type="hidden" name="cohort" value={one.id} />
								<FormField
									label="Plan a rollout to it"
									name="kind"
									kind="select"
									value="due"
									items={CHOICES}
								/>
								<Checkbox name="joins" class="pb-2">Units that come into it meanwhile join</Checkbox>
								<Button type="submit" size="sm" color="alternative" disabled={busy}>Plan</Button>
							{/snippet}
						</Form>{/if}
					{#if mayDo('bind', one.customerId) && mayDo('unbind', one.customerId)}<Form
							action="?/replace"
							casual
							class="flex flex-wrap items-end gap-x-4 gap-y-2"
						>
							{#snippet children({ busy })}
								<input type="hidden" name="cohort" value={one.id} />
								<input type="hidden" name="name" value={one.name} />
								<FormField
									label="Replace its units by"
									name="model"
									kind="select"
									none="choose a model"
									items={data.models}
								/>
								<Button type="submit" size="sm" color="alternative" disabled={busy}>See what it takes</Button>
							{/snippet}
						</Form>{/if}
				</div>
			</li>
		{/each}
	</ul>
	<p class="quiet mt-2">To make another, {@render howToMakeOne()}</p>
{/if}

<style>
	li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto auto;
		gap: 0.3rem 1.2rem;
		align-items: center;
	}
	.plans {
		grid-column: 1 / -1;
	}
	.short {
		display: flex;
		flex-wrap: wrap;
		gap: 0.3rem 1.2rem;
	}
	@media (max-width: 640px) {
		li {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
