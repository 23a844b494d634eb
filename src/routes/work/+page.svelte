<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { Progress } from '$ui/work';

	let { data } = $props();
	onMount(() => refreshOn(['work']));
</script>

<PageHead title="Long work" />
{#if data.works.length === 0}<p class="sheet mt-4 p-6">
		Nothing was begun for many things at once yet. <a href="/units">Choose units</a> and let them try again, for
		example.
	</p>
{:else}
	<Table classes={{ div: 'mt-4' }}>
		<TableHead
			><TableHeadCell>What</TableHeadCell><TableHeadCell>Begun</TableHeadCell><TableHeadCell>By</TableHeadCell
			><TableHeadCell>How far</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.works as work (work.id)}
				<TableBodyRow
					><TableBodyCell><a href="/work/{work.id}" class="font-semibold">{work.title}</a></TableBodyCell
					><TableBodyCell><When at={work.begunAt} /></TableBodyCell><TableBodyCell>{work.actor}</TableBodyCell
					><TableBodyCell><Progress {work} /></TableBodyCell></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}
