<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import type { ReportDocument } from '$core/report';
	import { counted } from '$core/text';
	import { Table } from '../kit';

	/** A report as it stands on paper. */
	let { report }: { report: ReportDocument } = $props();
	const tables = $derived(report.blocks.filter((block) => block.kind === 'table'));
</script>

<article class="sheet mt-4 p-5" aria-label="The report">
	<div class="flex flex-wrap items-start justify-between gap-4">
		<div>
			<p class="quiet">{report.customer}</p>
			<h2 class="text-2xl">{report.title}</h2>
			<p class="quiet">{report.subtitle}</p>
		</div>
		{#if report.look?.logo}<img
				src="data:{report.look.logo.kind};base64,{report.look.logo.data}"
				alt="The logo of {report.customer}"
				class="max-h-16 max-w-52 rounded bg-white object-contain p-1"
			/>{/if}
	</div>
	{#if report.look?.colour}<div class="mt-3 h-1" style:background={report.look.colour}></div>{/if}
	{#each tables as block (block.title)}
		<h3 class="mt-5 font-semibold">{block.title}</h3>
		{#if block.rows.length === 0}<p class="quiet mt-1">{block.otherwise}</p>
		{:else}
			<Table label={block.title} class={block.columns.length > 4 ? 'min-w-[42rem]' : ''}>
				<TableHead
					>{#each block.columns as column, at (at)}<TableHeadCell>{column}</TableHeadCell>{/each}</TableHead
				>
				<TableBody>
					{#each block.rows as row, index (index)}<TableBodyRow
							>{#each row as cell, at (at)}<TableBodyCell class={block.mono?.includes(at) ? 'mono' : ''}
									>{cell}</TableBodyCell
								>{/each}</TableBodyRow
						>{/each}
				</TableBody>
			</Table>
			{#if block.more}<p class="quiet mt-1">And {counted(block.more, 'row')} more, in the figures.</p>{/if}
		{/if}
	{/each}
	<p class="quiet mt-5 text-sm">{report.foot}</p>
</article>
