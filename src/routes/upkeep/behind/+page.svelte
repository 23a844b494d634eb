<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { DaysChart } from '$ui/charts';
	import { UpkeepRooms, WHY_BEHIND } from '$ui/drift';
	import { act } from '$ui/forms';
	import { PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Serial, Standing, When } from '$ui/marks';
	import { mayDo } from '$ui/people';

	const WHYS = ['revision', 'values', 'firmware'] as const;
	let { data } = $props();
	onMount(() => refreshOn(['drift', 'sends'], { rest: 1000 }));
	const behind = $derived(data.profiles.reduce((sum, { behind: count }) => sum + count, 0));
	const current = $derived(data.profiles.reduce((sum, { current: count }) => sum + count, 0));
	const lines = $derived(
		WHYS.map((why) => ({
			name: WHY_BEHIND[why],
			sizes: data.days.map((one) => ({ day: one.day, units: one[why] }))
		}))
	);
	const href = (profile: string | null, why: string | null) => {
		const query = new URLSearchParams({ ...(profile && { profile }), ...(why && { why }) }).toString();
		return query === '' ? '/upkeep/behind' : `/upkeep/behind?${query}`;
	};
</script>

<PageHead title="Behind">
	{#snippet state()}
		<span class="flex flex-wrap items-baseline gap-x-4">
			{#if behind > 0}<Standing standing="late" word="{counted(behind, 'unit')} behind" />{/if}
			<Standing standing="through" word="{current} up to date" />
		</span>
	{/snippet}
	{#snippet acts()}{#if behind > 0 && mayDo('send')}<form
				method="POST"
				action="/arrivals/rollouts?/draft"
				use:act
				class="contents"
			>
				{#if data.profileId}<input type="hidden" name="profile" value={data.profileId} />{/if}
				<Button type="submit" name="kind" value="due" size="sm">Plan a rollout of what is due</Button>
				<Button type="submit" name="kind" value="firmware" size="sm" color="alternative"
					>Plan one of firmware</Button
				>
			</form>{/if}{/snippet}
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>

{#if behind === 0}
	<p class="sheet mt-4 p-6">
		Every unit that is online runs what is released and planned for it. Releasing a profile or changing a
		value sends nothing by itself: what falls behind then stands here.
	</p>
	{@render chart()}
{:else}
	{@render chart()}
	<ul class="sheet mt-3" aria-label="Profiles with units that are behind">
		{#each data.profiles.filter((one) => one.behind > 0) as one (one.profileId)}
			<li class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
				<a
					href={href(one.profileId, null)}
					aria-current={data.profileId === one.profileId ? 'true' : undefined}><b>{one.profile}</b></a
				>
				<span
					>{one.revision === null ? 'no revision is released' : `revision ${one.revision} is released`}: {one.current}
					up to date, <b>{one.behind} behind</b></span
				>
				{#if one.byRevision > 0}<a href={href(one.profileId, 'revision')}
						>{one.byRevision} on an older revision</a
					>{/if}
				{#if one.byValues > 0}<a href={href(one.profileId, 'values')}>{one.byValues} with other values</a
					>{/if}
				{#if one.byFirmware > 0}<a href={href(one.profileId, 'firmware')}
						>{one.byFirmware} on other firmware</a
					>{/if}
			</li>
		{/each}
	</ul>
	{#if data.profileId || data.why}<p class="mt-2"><a href="/upkeep/behind">show all</a></p>{/if}
	<Table classes={{ div: 'mt-3' }}>
		<TableHead
			><TableHeadCell>Where</TableHeadCell><TableHeadCell>Unit</TableHeadCell><TableHeadCell
				>Why</TableHeadCell
			><TableHeadCell>Since</TableHeadCell><TableHeadCell
				><span class="sr-only">What to do</span></TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.units as unit (unit.unitId)}
				<TableBodyRow data-unit={unit.serial}
					><TableBodyCell
						><a href="/sites/{unit.siteId}">{unit.siteName}</a>, {unit.positionName}</TableBodyCell
					><TableBodyCell><a href="/units/{unit.unitId}"><Serial serial={unit.serial} /></a></TableBodyCell
					><TableBodyCell
						>{#each unit.why as why (why)}<span class="block"
								>{WHY_BEHIND[why]}{#if why === 'revision' && unit.runs !== null}: it has {unit.runs}, released
									is {unit.released}{/if}{#if why === 'firmware'}: {unit.version}, wanted is {unit.target}{/if}</span
							>{/each}</TableBodyCell
					><TableBodyCell><When at={unit.since} /></TableBodyCell><TableBodyCell
						>{#if unit.why.includes('firmware') && mayDo('send')}<Button
								href="/units/{unit.unitId}/firmware"
								size="xs"
								color="alternative">Firmware</Button
							>{/if}{#if unit.why.some((why) => why !== 'firmware') && mayDo('send')}{#if unit.isConnected}<Button
									href="/units/{unit.unitId}/send"
									size="xs">Send it</Button
								>{:else}<span class="quiet">not connected</span>{/if}{/if}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
	{#if !data.isAll}<p class="quiet mt-2">The latest {data.units.length} of them.</p>{/if}
{/if}

{#snippet chart()}
	{#if data.days.length > 1}<section class="sheet mt-3 p-4" aria-label="Over time">
			<DaysChart title="How many were behind on each day?" {lines} />
		</section>{/if}
{/snippet}

<style>
	[aria-current] {
		text-decoration: none;
	}
</style>
