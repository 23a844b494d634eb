<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { LONGEST_TERM, SHORTEST_TERM } from '$core/life';
	import { counted, dayOf } from '$core/text';
	import { act } from '$ui/forms';
	import { FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['units']));
	const YEARS = Array.from({ length: LONGEST_TERM - SHORTEST_TERM + 1 }, (_, index) => ({
		value: String(SHORTEST_TERM + index),
		name: counted(SHORTEST_TERM + index, 'year')
	}));
	const day = (text: string) => dayOf(Date.parse(text), 'UTC', new Date());
</script>

<PageHead title="Retired units">
	{#snippet about()}<a href="/units">Units in use</a><span
			>Out of every list, count and schedule; what is known of them is kept for their customer’s term.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<form method="GET" class="mt-3 flex flex-wrap items-end gap-3">
	<FormField
		label="Part of a serial number"
		name="text"
		stored={data.text}
		autocomplete="off"
		class="min-w-52"
	/>
	<Button type="submit" size="sm" color="alternative">Show</Button>
</form>
{#if data.units.length === 0}<p class="sheet mt-3 p-4">
		{data.text ? 'No retired unit has that in its serial number.' : 'No unit was retired yet.'}
	</p>
{:else}
	<div class="mt-3">
		<Table label="Retired units" class="min-w-[52rem]">
			<TableHead
				><TableHeadCell>Unit</TableHeadCell><TableHeadCell>Model</TableHeadCell><TableHeadCell
					>Customer</TableHeadCell
				><TableHeadCell>Retired</TableHeadCell><TableHeadCell>Why</TableHeadCell><TableHeadCell
					>Kept until</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each data.units as unit (unit.id)}<TableBodyRow
						><TableBodyCell
							><a href="/units/retired/{unit.id}"><Serial serial={unit.serial} /></a></TableBodyCell
						><TableBodyCell>{unit.modelName}</TableBodyCell><TableBodyCell>{unit.customerName}</TableBodyCell
						><TableBodyCell><When at={unit.retiredAt} />, {unit.retiredBy}</TableBodyCell><TableBodyCell
							class="break-words">{unit.why}</TableBodyCell
						><TableBodyCell class="whitespace-nowrap">{day(unit.destroyOn)}</TableBodyCell></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
	</div>
	{#if data.hasMore}<p class="mt-2">
			<a
				href="?text={encodeURIComponent(data.text)}&before={new Date(
					data.units.at(-1)!.retiredAt
				).toISOString()}">Retired earlier</a
			>
		</p>{/if}
{/if}

<h2 class="mt-6">How long it is kept</h2>
<ul class="sheet mt-2 max-w-3xl" aria-label="Terms">
	{#each data.terms as term (term.customerId)}<li class="flex flex-wrap items-center gap-3">
			<span class="min-w-52 grow">{term.customer}</span>
			{#if mayDo('manage people')}<form method="POST" action="?/term" use:act class="flex items-center gap-2">
					<input type="hidden" name="customer" value={term.customerId} />
					<FormField
						label="Years for {term.customer}"
						bare
						kind="select"
						name="years"
						stored={String(term.years)}
						items={YEARS}
					/>
					<Button type="submit" size="sm" color="alternative">Set</Button>
				</form>{:else}<span>{counted(term.years, 'year')}</span>{/if}
		</li>{/each}
</ul>

{#if data.gone.length > 0}
	<h2 class="mt-6">What was destroyed</h2>
	<ul class="sheet mt-2 max-w-3xl" aria-label="What was destroyed">
		{#each data.gone as gone (gone.unitId)}<li>
				<Serial serial={gone.serial} />
				<span class="quiet"
					>{gone.modelName}, {gone.customerName}; retired <When at={gone.retiredAt} />, destroyed <When
						at={gone.destroyedAt}
					/></span
				>
				<p class="quiet text-sm">
					{Object.entries(gone.what)
						.map(([what, count]) => `${count} × ${what.replaceAll('_', ' ')}`)
						.join(', ') || 'nothing was kept of it'}
				</p>
			</li>{/each}
	</ul>
{/if}
