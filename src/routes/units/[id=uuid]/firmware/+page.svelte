<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { goto } from '$app/navigation';
	import { flashTitle, flashWords, isAway, targetOf, type FlashState } from '$core/firmware';
	import { act } from '$ui/forms';
	import { FormField, MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { clock, Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['sends']));

	const STEPS: readonly (readonly [FlashState, string])[] = [
		['waiting', 'waits for its turn'],
		['fetching', 'fetches the image'],
		['installing', 'installs and restarts']
	];
	const flash = $derived(data.underWay?.flash ?? null);
	const at = $derived(STEPS.findIndex(([state]) => state === flash?.state));
	const ahead = $derived(data.ahead);
	const ENDED: Readonly<Partial<Record<FlashState, 'through' | 'stuck' | 'waiting'>>> = {
		done: 'through',
		refused: 'waiting',
		'let go': 'waiting'
	};
</script>

<PageHead title="Firmware of {data.unit.serial}">
	{#snippet name()}Firmware of <Serial serial={data.unit.serial} />{/snippet}
	{#snippet acts()}<Button href="/units/{data.unit.id}" size="sm" color="alternative">Back to the unit</Button
		>{/snippet}
	{#snippet more()}<MenuLink href="/units/{data.unit.id}/dialogue">What was said to it</MenuLink><MenuLink
			href="/upkeep/firmware">Images and targets</MenuLink
		>{/snippet}
	{#snippet about()}<span
			>{data.unit.makerName}
			{data.unit.modelName}{data.place ? ` at ${data.place.site}, ${data.place.position}` : ''}</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if flash && data.underWay}
	<section class="sheet mt-3 p-4" aria-live="polite">
		<h2>On its way from {flash.from} to {targetOf(flash)}</h2>
		{#if flash.path.length > 1}<p class="quiet">
				Step {flash.at + 1} of {flash.path.length}:
				<span class="mono">{[flash.from, ...flash.path].join(' → ')}</span>
			</p>{/if}
		<ol class="mt-2 flex flex-wrap gap-x-6 gap-y-2" aria-label="How far it is">
			{#each STEPS as [state, words], index (state)}<li aria-current={index === at ? 'step' : undefined}>
					<Standing
						standing={index < at ? 'online' : index === at ? 'moving' : 'open'}
						word={state === 'fetching' && index === at && data.underWay.percent !== null
							? `${words}, ${data.underWay.percent} %`
							: words}
					/>
				</li>{/each}
		</ol>
		<p class="mt-2">
			{flashWords(flash.state)}
			{#if isAway(flash, clock.now)}<b>It has not come back.</b> If it stays away, somebody has to look at it.{/if}
			{#if flash.state === 'waiting' && !data.isConnected}It is not connected at this moment.{/if}
		</p>
	</section>
{:else if !ahead}
	<p class="sheet mt-3 p-4">
		Its firmware cannot be changed from here: it is at no position, or the pack of its model does not say how.
	</p>
{:else}
	<section class="sheet mt-3 p-4">
		<p>
			It runs <b class="mono">{ahead.from || 'a version that is not known'}</b>.
			{#if ahead.wanted === null}Its profile wants no firmware.{:else if ahead.wanted === ahead.from}That is
				what it is to run.{:else}Wanted is <b class="mono">{ahead.wanted}</b>.{/if}
		</p>
		<form method="POST" action="?/flash" use:act class="mt-3 flex flex-wrap items-end gap-4">
			<FormField
				label="To version"
				name="to"
				kind="select"
				stored={ahead.target ?? ''}
				none="choose a version"
				items={ahead.versions.map((version) => ({ value: version, name: version }))}
				onchange={(event) =>
					void goto(`?to=${encodeURIComponent((event.currentTarget as HTMLSelectElement).value)}`, {
						keepFocus: true,
						noScroll: true,
						replaceState: true
					})}
			/>
			{#if mayDo('send', data.unit.customerId)}<Button
					type="submit"
					disabled={!ahead.path || ahead.path.length === 0 || !data.isConnected}
					>{ahead.isBack ? 'Go back to it' : 'Change it'}</Button
				>{/if}
		</form>
		{#if ahead.why}<Notice kind="wrong" class="mt-3">{ahead.why}</Notice>
		{:else if ahead.path && ahead.path.length > 0}<p class="mt-2">
				The way: <span class="mono">{[ahead.from, ...ahead.path].join(' → ')}</span>{ahead.path.length > 1
					? `, ${ahead.path.length} restarts`
					: ', one restart'}.
				{#if ahead.isBack}It is older: a reason is asked for.{/if}
				{#if !data.isConnected}<b>It is not connected at this moment.</b>{/if}
			</p>{/if}
	</section>
{/if}

{#if data.earlier.length > 0}
	<section class="mt-6">
		<h2 id="earlier">Earlier changes</h2>
		<ul aria-labelledby="earlier" class="mt-2 divide-y divide-[var(--line)]">
			{#each data.earlier as one (one.id)}
				<li class="py-2">
					<div class="flex flex-wrap items-center gap-x-3">
						<Standing standing={ENDED[one.flash.state] ?? 'stuck'} word={flashTitle(one.flash.state)} />
						<span class="mono">{one.flash.from} → {targetOf(one.flash)}</span>
						<span class="quiet"><When at={one.askedAt} />, by {one.askedBy}</span>
					</div>
					<p>
						{flashWords(one.flash.state)}
						{#if one.flash.refusal}{one.flash.refusal}{/if}
						{#if one.reason}<span class="quiet">{one.reason}</span>{/if}
					</p>
				</li>
			{/each}
		</ul>
	</section>
{/if}
