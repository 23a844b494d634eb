<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { Progress, ShownAlike } from '$ui/work';

	let { data, form } = $props();
	onMount(() => refreshOn(['work']));
	const STATES = { waiting: 'waits', done: 'done', failed: 'not done' } as const;
</script>

<PageHead title={data.one.title}>
	{#snippet state()}<Progress work={data.one} />{/snippet}
	{#snippet acts()}
		{#if data.one.state === 'under way' && !data.one.wantsCancel}
			<form method="POST" action="?/cancel" use:act>
				<Button type="submit" size="sm" color="alternative">Cancel</Button>
			</form>
		{/if}
		{#if data.one.failed > 0}<Button href="/work/{data.one.id}/file" download size="sm" color="alternative"
				>What was not done, CSV</Button
			>{/if}
	{/snippet}
	{#snippet about()}<span
			>Begun by {data.one.actor}, <When at={data.one.begunAt} />{#if data.one.endedAt}, ended <When
					at={data.one.endedAt}
				/>{/if} · <a href="/work">All long work</a></span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#each data.alike as group, at (at)}<ShownAlike {group} />{/each}
{#if data.moreAlike > 0}<p class="quiet mt-3">
		And {counted(data.moreAlike, 'unit')} more, each with something of its own.
	</p>{/if}
{#if data.items.length > 0}
	<Table classes={{ div: 'mt-4' }}>
		<TableHead
			><TableHeadCell>Which</TableHeadCell><TableHeadCell>How it stands</TableHeadCell><TableHeadCell
				>What came of it</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.items as item (item.ordinal)}
				<TableBodyRow data-item={item.state}
					><TableBodyCell>{item.subject}</TableBodyCell><TableBodyCell
						><span class={item.state === 'failed' ? 'font-semibold text-[var(--brick)]' : ''}
							>{STATES[item.state]}</span
						></TableBodyCell
					><TableBodyCell>{item.words}</TableBodyCell></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}
{#if data.more > 0}<p class="quiet mt-2">And {data.more} more; those that were not done stand first.</p>{/if}
