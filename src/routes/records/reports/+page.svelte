<script lang="ts">
	import { untrack } from 'svelte';
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { PERIODS, REPORT_PARTS, REPORT_PARTS_IN_ORDER, type ReportPart } from '$core/report';
	import { counted } from '$core/text';
	import { FormField, Notice, PageHead, WideTable } from '$ui/kit';
	import { mayDo } from '$ui/people';

	let { data } = $props();
	let parts = $state<string[]>(untrack(() => [...data.asked.parts]));
	let [from, to] = $state(untrack(() => [data.asked.from, data.asked.to]));
	/** What the files are asked for: what the page shows. */
	const query = $derived(
		new URLSearchParams([
			['customer', data.asked.customer ?? ''],
			['from', data.asked.from],
			['to', data.asked.to],
			...data.asked.parts.map((part) => ['part', part])
		])
	);
	const told = (part: ReportPart) => part !== 'changes' || mayDo('see records');
</script>

<PageHead title="Reports">
	{#snippet about()}<a href="/records">Records</a><span
			>Choose what it tells, look at it as it will be, and take it away.</span
		>{/snippet}
	{#snippet acts()}{#if data.made}{#each [['pdf', 'To read (PDF)'], ['xlsx', 'Figures (XLSX)'], ['csv', 'Figures (CSV)']] as [as, label] (as)}<Button
					href="/records/reports/file?{query}&as={as}"
					size="sm"
					color="alternative"
					download>{label}</Button
				>{/each}{/if}{/snippet}
</PageHead>
<form method="GET" class="sheet mt-3 max-w-5xl p-4">
	<fieldset>
		<legend class="font-semibold">What it tells</legend>
		<div class="mt-1 grid gap-x-6 gap-y-1 sm:grid-cols-2 lg:grid-cols-3">
			{#each REPORT_PARTS_IN_ORDER.filter(told) as part (part)}<Checkbox
					name="part"
					value={part}
					bind:group={parts}>{REPORT_PARTS[part]}</Checkbox
				>{/each}
		</div>
	</fieldset>
	<div class="mt-4 flex flex-wrap items-end gap-3">
		<FormField label="Of" kind="select" name="customer" stored={data.asked.customer ?? ''}>
			<option value="">every customer</option>
			{#each data.customers as { id, name } (id)}<option value={id}>{name}</option>{/each}
		</FormField>
		<FormField label="First day" kind="date" name="from" bind:value={from} />
		<FormField label="Last day" kind="date" name="to" bind:value={to} />
		{#each data.periods as period (period.name)}<Button
				size="sm"
				color="alternative"
				onclick={() => ([from, to] = [period.from, period.to])}>{PERIODS[period.name]}</Button
			>{/each}
		<Button type="submit" size="sm">Show it</Button>
	</div>
	{#if data.problem}<Notice kind="wrong">{data.problem}</Notice>{/if}
</form>

{#if data.made}
	<article class="sheet mt-4 p-5" aria-label="The report">
		<p class="quiet">{data.made.customer}</p>
		<h2 class="text-2xl">{data.made.title}</h2>
		<p class="quiet">{data.made.subtitle}</p>
		{#each data.made.blocks as block (block.title)}
			<h3 class="mt-5 font-semibold">{block.title}</h3>
			{#if block.rows.length === 0}<p class="quiet mt-1">{block.otherwise}</p>
			{:else}
				<WideTable label={block.title} least="{block.columns.length * 8}rem">
					<TableHead
						>{#each block.columns as column (column)}<TableHeadCell>{column}</TableHeadCell>{/each}</TableHead
					>
					<TableBody>
						{#each block.rows as row, index (index)}<TableBodyRow
								>{#each row as cell, at (at)}<TableBodyCell>{cell}</TableBodyCell>{/each}</TableBodyRow
							>{/each}
					</TableBody>
				</WideTable>
				{#if block.more > 0}<p class="quiet mt-1">
						And {counted(block.more, 'row')} more, in the files.
					</p>{/if}
			{/if}
		{/each}
		<p class="quiet mt-5 text-sm">{data.made.foot}</p>
	</article>
{/if}
