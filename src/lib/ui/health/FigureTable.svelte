<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { figureWords, readKey, summed, type Point } from '$core/health';
	import { Table } from '$ui/kit';

	/** What each figure came to over the span, in numbers. */
	interface Row {
		readonly id: string;
		readonly name: string;
		readonly key: string;
		readonly points: readonly Point[];
	}
	let { rows }: { rows: readonly Row[] } = $props();
</script>

<div class="mt-3">
	<Table label="What each figure came to" class="min-w-[42rem]">
		<TableHead
			><TableHeadCell>Figure</TableHeadCell><TableHeadCell>Least</TableHeadCell><TableHeadCell
				>On average</TableHeadCell
			><TableHeadCell>Most</TableHeadCell><TableHeadCell>Last</TableHeadCell><TableHeadCell
				>Known for</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each rows as { id, name, key, points } (id)}
				{@const sum = summed(points)}
				{@const figure = readKey(key)!.figure}
				{#if sum}<TableBodyRow data-figure={name}
						><TableBodyCell>{name}</TableBodyCell><TableBodyCell>{figureWords(figure, sum.min)}</TableBodyCell
						><TableBodyCell>{figureWords(figure, sum.mean)}</TableBodyCell><TableBodyCell
							>{figureWords(figure, sum.max)}</TableBodyCell
						><TableBodyCell>{figureWords(figure, points.at(-1)!.mean)}</TableBodyCell><TableBodyCell
							>{Math.round(sum.known * 100)} % of what was read</TableBodyCell
						></TableBodyRow
					>{/if}
			{/each}
		</TableBody>
	</Table>
</div>
