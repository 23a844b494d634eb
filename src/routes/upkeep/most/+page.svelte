<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { FindingMeans, FindingText, UpkeepRooms } from '$ui/drift';
	import { PageHead, Table } from '$ui/kit';
	import { When } from '$ui/marks';

	let { data } = $props();
	/** The hours of the day in four parts, as people say them. */
	const PARTS = ['at night', 'in the morning', 'in the afternoon', 'in the evening'];
	/** In which part of the day most of it happened, where that is more than half. */
	function when(hours: readonly number[]): string {
		const parts = PARTS.map((words, at) => ({
			words,
			count: hours.slice(at * 6, at * 6 + 6).reduce((sum, count) => sum + count, 0)
		}));
		const all = hours.reduce((sum, count) => sum + count, 0);
		const most = parts.reduce((one, other) => (other.count > one.count ? other : one));
		return most.count * 2 > all ? `mostly ${most.words}` : 'at any time of the day';
	}
</script>

<PageHead title="What drifts most">
	{#snippet acts()}<Button href="/upkeep" size="sm" color="alternative">All that drifted</Button>{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
{#if data.most.length === 0}
	<p class="sheet mt-4 p-6">Nothing has drifted in {data.days} days.</p>
{:else}
	<p class="quiet mt-2">
		In {data.days} days, put right since or not. What comes again is often somebody’s need.
	</p>
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>What</TableHeadCell><TableHeadCell>How often</TableHeadCell><TableHeadCell
				>Where</TableHeadCell
			><TableHeadCell>When</TableHeadCell><TableHeadCell>By whom</TableHeadCell></TableHead
		>
		<TableBody>
			{#each data.most as one (one.id)}
				<TableBodyRow
					><TableBodyCell
						><FindingMeans touches={one.touches} />
						<FindingText finding={one} brief /></TableBodyCell
					><TableBodyCell class="whitespace-nowrap"
						>{#if one.isOpen}<a href="/upkeep/findings/{one.id}">{counted(one.times, 'time')}</a
							>{:else}{counted(one.times, 'time')}{/if}<span class="quiet block"
							>at {counted(one.units, 'unit')}</span
						></TableBodyCell
					><TableBodyCell>{one.sites.join(', ')}</TableBodyCell><TableBodyCell
						>{when(one.hours)}<span class="quiet block">last <When at={one.last} /></span></TableBodyCell
					><TableBodyCell>{one.byWhom.join(', ') || 'not known'}</TableBodyCell></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}
