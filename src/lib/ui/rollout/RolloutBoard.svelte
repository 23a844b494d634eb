<script lang="ts">
	import {
		Button,
		Table,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
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
	import { Notice } from '../kit';
	import { clock, duration, Serial, Standing, When } from '../marks';
	import { act } from '../forms';
	import { ITEMS } from './words';
	import WaveLine from './WaveLine.svelte';

	interface Props {
		rollout: Rollout;
		waves: readonly WaveCount[];
		items: readonly RolloutItem[];
		alike: readonly FailedAlike[];
		mayAct: boolean;
		atOnce: number;
	}
	let { rollout, waves, items, alike, mayAct, atOnce }: Props = $props();

	const chosen = $derived(page.url.searchParams.get('state'));
	const wave = $derived(/^\d{1,2}$/.exec(page.url.searchParams.get('wave') ?? '')?.[0] ?? null);
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
		item.state === 'under way' &&
		item.begunAt !== null &&
		clock.now - item.begunAt.getTime() > 2 * item.takes;
	const rest = (item: RolloutItem) => Math.max(0, item.takes - (clock.now - item.begunAt!.getTime()));
</script>

{#if rollout.words}<Notice kind={rollout.state === 'stopped' ? 'wrong' : 'careful'} class="mt-3"
		>{rollout.words}</Notice
	>{/if}
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
<Table classes={{ div: 'mt-2' }}>
	<TableHead
		><TableHeadCell>Where</TableHeadCell><TableHeadCell>Unit</TableHeadCell><TableHeadCell>Wave</TableHeadCell
		>{#if rollout.kind === 'firmware'}<TableHeadCell>Firmware</TableHeadCell>{/if}<TableHeadCell
			>How it stands</TableHeadCell
		><TableHeadCell><span class="sr-only">What to do</span></TableHeadCell></TableHead
	>
	<TableBody>
		{#each items as item (item.unitId)}
			<TableBodyRow data-unit={item.serial} data-state={item.state}
				><TableBodyCell><a href="/sites/{item.siteId}">{item.siteName}</a>, {item.positionName}</TableBodyCell
				><TableBodyCell
					><a href="/units/{item.unitId}"><Serial serial={item.serial} /></a>
					<span class="quiet">{item.model}</span></TableBodyCell
				><TableBodyCell>{item.wave === null ? '' : item.wave + 1}</TableBodyCell
				>{#if rollout.kind === 'firmware'}<TableBodyCell class="mono whitespace-nowrap"
						>{item.from} → {item.to}</TableBodyCell
					>{/if}<TableBodyCell
					><Standing
						standing={isLate(item) ? 'late' : ITEMS[item.state]}
						word={doing(item)}
					/>{#if item.state === 'under way' && item.begunAt}
						<span class="quiet ml-2"
							>{#if isLate(item)}{duration(clock.now - item.begunAt.getTime())}, expected were {duration(
									item.takes
								)}{:else}about {duration(rest(item))} more{/if}</span
						>{:else if item.state === 'waiting' && item.words === ''}
						<span class="quiet ml-2"
							>{item.isBusy
								? 'something else is done at it just now'
								: !item.isConnected && interrupts(rollout.kind)
									? 'not connected'
									: item.isNow
										? 'its turn is next'
										: ''}</span
						>{/if}{#if item.words}<span class="block">{item.words}</span>{/if}{#if item.endedAt}<span
							class="quiet block"><When at={item.endedAt} /></span
						>{/if}</TableBodyCell
				><TableBodyCell
					>{#if mayAct && isOpen && item.state === 'waiting'}<form
							method="POST"
							use:act
							class="flex flex-wrap gap-2"
						>
							<input type="hidden" name="unit" value={item.unitId} />
							<Button type="submit" formaction="?/leaveOut" size="xs" color="alternative">Leave out</Button>
							{#if rollout.state === 'under way' && item.isConnected}<Button
									type="submit"
									formaction="?/doNow"
									size="xs"
									color="alternative">Do it now</Button
								>{/if}
						</form>{/if}</TableBodyCell
				></TableBodyRow
			>
		{/each}
	</TableBody>
</Table>
{#if items.length >= atOnce}<p class="quiet mt-2">The first {items.length} of them.</p>{/if}

<style>
	li[data-wave] {
		display: grid;
		grid-template-columns: 5rem minmax(0, 1fr) 11rem;
		gap: 0.2rem 1rem;
		align-items: start;
		padding: 0.5rem 0.9rem;
		border-bottom: 1px solid var(--hairline);
	}
	li[data-wave]:last-child {
		border: 0;
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
