<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { Stance } from '$core/stance';
	import { takesStage, type Controlled, type WithoutWayIn } from '$core/takeon';
	import { counted } from '$core/text';
	import { Form, FormField } from '../kit';
	import { mayDo } from '../people';

	/** How far the units of a take-on are under control, stage by stage; each can be gone back from. */
	interface Props {
		units: readonly Controlled[];
		withoutWayIn: readonly WithoutWayIn[];
		customerId: string;
		oldWayDays: number;
	}
	let { units, withoutWayIn, customerId, oldWayDays }: Props = $props();

	const maySend = $derived(mayDo('send', customerId));
	const count = (is: (unit: Controlled) => boolean) => units.filter(is).length;
	const differing = $derived(units.filter(({ isAsIntended }) => isAsIntended === false));
	const behind = $derived(count(({ isBehind }) => isBehind));
	const settled = $derived(count(({ isSettled }) => isSettled));
	const MOST_NAMED = 10;
	const wouldBe = (stance: Stance) => count((unit) => takesStage(unit, stance));
</script>

{#snippet stageAct(stance: Stance, label: string)}
	{#if maySend && wouldBe(stance) > 0}<Form action="?/stage" casual class="mt-1">
			{#snippet children({ busy })}
				<input type="hidden" name="stance" value={stance} />
				<Button type="submit" size="xs" color="alternative" disabled={busy}
					>{label} at {counted(wouldBe(stance), 'unit')}</Button
				>
			{/snippet}
		</Form>{/if}
{/snippet}

<section class="sheet mb-6 p-4" aria-label="Under control, stage by stage">
	<h2>Under control, stage by stage</h2>
	<ol class="mt-2 grid list-decimal gap-3 pl-5">
		<li>
			<b>Only watched.</b>
			{count(({ stance }) => stance === 'watch')} of {counted(units.length, 'unit')}: Limen changes nothing
			there by itself. {count(({ isAsIntended }) => isAsIntended === true)} of all run what is intended{#if differing.length > 0};
				{differing.length === 1 ? 'another differs' : 'others differ'}:
				{#each differing.slice(0, MOST_NAMED) as unit, at (unit.unitId)}{at > 0 ? ', ' : ''}<a
						href="/units/{unit.unitId}/versions">{unit.position} at {unit.site}</a
					>{/each}{#if differing.length > MOST_NAMED}
					and <a href="/upkeep">{differing.length - MOST_NAMED} more</a>{/if}{/if}.
			{@render stageAct('watch', 'Only watch again')}
		</li>
		<li>
			<b>What is common.</b>
			{count(({ stance }) => stance === 'hold common')} are held in what all units have alike: what drifts there
			is put back by itself; where a value of their own stands, it is told.
			{@render stageAct('hold common', 'Hold what is common')}
		</li>
		<li>
			<b>What is particular, too.</b>
			{count(({ stance }) => stance === 'hold')} are held in all, but for what touches the way to them: that is
			always asked about.
			{@render stageAct('hold', 'Hold everything')}
		</li>
		<li>
			<b>Limen’s way in, beside the old one.</b>
			{count(({ way }) => way === 'home')} call home, {count(({ way }) => way === 'address')} are reached at their
			address.
			{#each withoutWayIn as profile (profile.profileId)}
				<div class="mt-1">
					<a href="/profiles/{profile.profileId}">{profile.name}</a> is without {profile.lacks.join(' and ')}.
					{#if profile.hasDraft}
						Its draft is to be <a href="/profiles/{profile.profileId}/release">released</a> or thrown away first.
					{:else if profile.parts.length === 0}
						The library has no part for managing units in its dialect; <a href="/profiles">write one</a>.
					{:else if mayDo('edit profiles')}
						<Form action="?/wayIn" casual class="mt-1 flex flex-wrap items-end gap-2">
							{#snippet children({ busy })}
								<input type="hidden" name="profile" value={profile.profileId} />
								<FormField label="A part that makes it" name="part" kind="select" items={profile.parts} />
								<Button type="submit" size="xs" color="alternative" disabled={busy}>Add it</Button>
							{/snippet}
						</Form>
					{/if}
				</div>
			{/each}
			{#if behind > 0}<div class="mt-1">
					{counted(behind, 'unit')}
					{behind === 1 ? 'is' : 'are'} to get what their profile says now. Each is asked to confirm it over its
					way in before it is kept.
					{#if maySend}<Form action="?/rollOut" casual class="mt-1">
							{#snippet children({ busy })}<Button type="submit" size="xs" color="alternative" disabled={busy}
									>Plan a rollout of it</Button
								>{/snippet}
						</Form>{/if}
				</div>{/if}
		</li>
		<li>
			<b>The old way goes last.</b>
			{count(({ hasAddress }) => hasAddress)} can be reached at an address. It is given up where a unit has called
			home for {oldWayDays} days; what lets others in stays in their configuration until you take it out of the
			profile.
			{#if settled > 0 && mayDo('reach units', customerId)}<Form action="?/endOldWay" casual class="mt-1">
					{#snippet children({ busy })}<Button type="submit" size="xs" color="alternative" disabled={busy}
							>Give up {counted(settled, 'address', 'addresses')}</Button
						>{/snippet}
				</Form>{/if}
		</li>
	</ol>
</section>
