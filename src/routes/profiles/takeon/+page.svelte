<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Form, FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['take-ons', 'work'], { rest: 1000 }));
	const customers = $derived(
		data.customers.filter(({ id }) => mayDo('plan sites', id) && mayDo('edit profiles'))
	);
</script>

<PageHead title="Take on">
	{#snippet about()}<a href="/profiles">Profiles</a><span
			>Units that somebody else configured become a profile, with values, that gives just what they run.</span
		>{/snippet}
</PageHead>
<FormWords {form} />

<div class="two mt-4">
	<div class="min-w-0">
		{#if data.takeOns.length === 0}
			<p class="sheet p-6">
				Nothing is being taken on. Begin with a customer: then bring the configurations of its units, as text,
				as files, or as Limen reads them{#if mayDo('reach units')}. Or let a
					<a href="/addresses/surveys">survey</a> find them{/if}.
			</p>
		{:else}
			<Table>
				<TableHead
					><TableHeadCell>Take-on</TableHeadCell><TableHeadCell>Customer</TableHeadCell><TableHeadCell
						>Units</TableHeadCell
					><TableHeadCell>In the plan</TableHeadCell><TableHeadCell>Begun</TableHeadCell></TableHead
				>
				<TableBody>
					{#each data.takeOns as one (one.id)}<TableBodyRow
							><TableBodyCell
								><a class="font-semibold" href="/profiles/takeon/{one.id}">{one.name}</a>
								{#if one.endedAt}<Standing standing="retired" word="over" />{/if}</TableBodyCell
							><TableBodyCell>{one.customer}</TableBodyCell><TableBodyCell>{one.units}</TableBodyCell
							><TableBodyCell>{one.placed}</TableBodyCell><TableBodyCell class="quiet"
								><When at={one.begunAt} /> by {one.byWhom}</TableBodyCell
							></TableBodyRow
						>{/each}
				</TableBody>
			</Table>
		{/if}
	</div>
	{#if customers.length > 0}<Form action="?/begin" casual class="sheet p-4">
			{#snippet children({ busy })}
				<h2>Begin one</h2>
				<FormField class="mt-2" label="Customer" name="customer" kind="select"
					>{#each customers as one (one.id)}<option value={one.id}>{one.name}</option>{/each}</FormField
				>
				<FormField
					class="mt-3"
					label="Name"
					name="name"
					required
					maxlength={120}
					autocomplete="off"
					hint="Such as: lodges in the south."
				/>
				<Button type="submit" size="sm" disabled={busy} class="mt-2">Begin</Button>
			{/snippet}
		</Form>{/if}
</div>
