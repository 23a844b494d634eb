<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { flashTitle, type FlashState } from '$core/firmware';
	import {
		interrupts,
		type FailedAlike,
		type ItemState,
		type Rollout,
		type RolloutItem,
		type WaveCount
	} from '$core/rollout';
	import { sendTitle, type SendState } from '$core/send';
	import { rotationTitle, type RotationState } from '$core/secret';
	import { counted } from '$core/text';
	import { Grid, type GridColumn } from '../grid';
	import { Notice } from '../kit';
	import { LongRows } from '../list';
	import { clock, duration, Serial, Standing, When } from '../marks';
	import { act } from '../forms';
	import { ITEMS } from './words';
	import WaveLine from './WaveLine.svelte';

	interface Props {
		rollout: Rollout;
		waves: readonly WaveCount[];
		/** Its units in sight at first; the others are fetched as they come into sight. */
		items: { readonly total: number; readonly offset: number; readonly rows: readonly RolloutItem[] };
		alike: readonly FailedAlike[];
		mayAct: boolean;
	}
	let { rollout, waves, items, alike, mayAct }: Props = $props();

	const chosen = $derived(page.url.searchParams.get('state'));
	const wave = $derived(/^\d{1,2}$/.exec(page.url.searchParams.get('wave') ?? '')?.[0] ?? null);
	const isWholeDone = $derived(rollout.state === 'ended' && rollout.done === rollout.total);
	const noticeKind = $derived(rollout.state === 'stopped' ? 'wrong' : isWholeDone ? 'done' : 'careful');
	const isOpen = $derived(rollout.state !== 'ended');
	const CHOICES: readonly (readonly [ItemState, string])[] = [
		['failed', 'failed'],
		['under way', 'under way'],
		['waiting', 'waiting'],
		['done', 'done'],
		['left out', 'left out']
	];
	const countOf = (state: ItemState) =>
		state === 'waiting'
			? rollout.total - rollout.done - rollout.failed - rollout.leftOut - rollout.underWay
			: {
					failed: rollout.failed,
					'under way': rollout.underWay,
					done: rollout.done,
					'left out': rollout.leftOut
				}[state];

	/** What it is at, in a few words. */
	function doing(item: RolloutItem): string {
		if (item.flashState)
			return `${flashTitle(item.flashState as FlashState)}${item.percent === null || item.flashState !== 'fetching' ? '' : ` ${item.percent} %`}`;
		if (item.rotationState) return rotationTitle(item.rotationState as RotationState);
		if (item.sendState) return sendTitle(item.sendState as SendState);
		return item.state === 'under way' ? 'being told' : item.state;
	}
	const isLate = (item: RolloutItem) =>
		item.state === 'under way' && item.begunAt !== null && clock.now - item.begunAt > 2 * item.takes;
	/** How long it has been at it, and how long it will be; or what it waits for. */
	function howLong(item: RolloutItem): string {
		if (item.state === 'under way' && item.begunAt !== null) {
			const since = clock.now - item.begunAt;
			return isLate(item)
				? `${duration(since)}, expected were ${duration(item.takes)}`
				: `about ${duration(Math.max(0, item.takes - since))} more`;
		}
		if (item.state !== 'waiting' || item.words !== '') return '';
		if (item.isBusy) return 'something else is done at it just now';
		if (!item.isConnected && interrupts(rollout.kind)) return 'not connected';
		return item.isNow ? 'its turn is next' : '';
	}

	const columns = $derived<readonly GridColumn[]>([
		{ id: 'place', title: 'Where', width: 13, grows: true },
		{ id: 'unit', title: 'Unit', width: 13.6, wide: true },
		{ id: 'wave', title: 'Wave', width: 4.4, wide: true },
		...(rollout.kind === 'firmware' ? [{ id: 'firmware', title: 'Firmware', width: 9.8, wide: true }] : []),
		{ id: 'state', title: 'How it stands', width: 10 },
		{ id: 'words', title: 'What it said', width: 13, grows: true, wide: true },
		...(mayAct && isOpen ? [{ id: 'act', title: 'What to do', width: 13, wide: true }] : [])
	]);
	const rows = new LongRows<RolloutItem>(
		untrack(() => items),
		() => `${page.url.pathname}/rows${page.url.search}`
	);
	let grid: ReturnType<typeof Grid> | undefined = $state();
	let seen = untrack(() => page.url.search);
	$effect(() => {
		const [window, address] = [items, page.url.search];
		untrack(() => {
			rows.take(window, address !== seen);
			if (address !== seen) grid?.toTop();
			seen = address;
		});
	});
	onMount(() => () => rows.stop());
</script>

{#if rollout.words}<Notice kind={noticeKind} class="mt-3">{rollout.words}</Notice>{/if}
<ul class="sheet mt-3" aria-label="Waves">
	{#each waves as one (one.wave)}
		<li data-wave={one.wave}>
			<a href="?wave={one.wave}" class="font-semibold">Wave {one.wave + 1}</a>
			<div class="min-w-0"><WaveLine {...one} /></div>
			<span class="quiet"
				>{#if one.endedAt}over <When at={one.endedAt} />{:else if one.begunAt}since <When
						at={one.begunAt}
					/>{:else}waits{/if}</span
			>
		</li>
	{/each}
</ul>
{#if alike.length > 0}
	<section class="mt-4">
		<h2>What failed, the same together</h2>
		<ul class="mt-1">
			{#each alike as one (`${one.model} ${one.words}`)}<li class="alike">
					<b>{counted(one.units, one.model, one.model)}</b>: {one.words}
				</li>{/each}
		</ul>
	</section>
{/if}
<nav class="mt-4 flex flex-wrap gap-x-4" aria-label="Units by how they stand">
	<a href="?" aria-current={!chosen && !wave ? 'true' : undefined}>all {rollout.total}</a>
	{#each CHOICES as [state, words] (state)}{#if countOf(state) > 0}<a
				href="?state={encodeURIComponent(state)}"
				aria-current={chosen === state ? 'true' : undefined}>{countOf(state)} {words}</a
			>{/if}{/each}
	{#if wave}<span>wave {Number(wave) + 1} only</span>{/if}
</nav>
<div class="mt-2">
	<Grid
		bind:this={grid}
		label="Units of this rollout"
		{columns}
		count={rows.total}
		row={44}
		onsee={(from, to) => rows.see(from, Math.max(from, to - 1))}
		onopen={(index) => {
			const item = rows.at(index);
			if (item) void goto(`/units/${item.unitId}`);
		}}
		about={(index) => {
			const item = rows.at(index);
			return item ? { 'data-unit': item.serial, 'data-state': item.state } : {};
		}}
	>
		{#snippet cell(index, { id })}
			{@const item = rows.at(index)}
			{#if !item}<i class="quiet">…</i>
			{:else if id === 'place'}<a href="/sites/{item.siteId}" class="font-semibold">{item.siteName}</a>
				<span class="quiet max-sm:block">{item.positionName}</span>
			{:else if id === 'unit'}<a href="/units/{item.unitId}"><Serial serial={item.serial} /></a>
				<span class="quiet">{item.model}</span>
			{:else if id === 'wave'}{item.wave === null ? '' : item.wave + 1}
			{:else if id === 'firmware'}<span class="mono">{item.from} → {item.to}</span>
			{:else if id === 'state'}<Standing
					standing={isLate(item) ? 'late' : ITEMS[item.state]}
					word={doing(item)}
				/>
			{:else if id === 'words'}{item.words}
				<span class="quiet"
					>{#if item.endedAt}<When at={item.endedAt} />{:else}{howLong(item)}{/if}</span
				>
			{:else if item.state === 'waiting'}<form method="POST" use:act class="flex gap-2">
					<input type="hidden" name="unit" value={item.unitId} />
					<Button type="submit" formaction="?/leaveOut" size="xs" color="alternative">Leave out</Button>
					{#if rollout.state === 'under way' && item.isConnected}<Button
							type="submit"
							formaction="?/doNow"
							size="xs"
							color="alternative">Do it now</Button
						>{/if}
				</form>{/if}
		{/snippet}
	</Grid>
</div>

<style>
	li[data-wave] {
		display: grid;
		grid-template-columns: 5rem minmax(0, 1fr) 11rem;
		gap: 0.2rem 1rem;
		align-items: start;
	}
	.alike {
		padding: 0.15rem 0;
		overflow-wrap: anywhere;
	}
	@media (max-width: 640px) {
		li[data-wave] {
			grid-template-columns: minmax(0, 1fr) auto;
		}
		li[data-wave] > div {
			grid-column: 1 / -1;
			grid-row: 2;
		}
	}
</style>
