<script lang="ts">
	import { Button, Checkbox } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { onMount } from 'svelte';
	import { counted } from '$core/text';
	import { sendTitle, sendWords } from '$core/send';
	import { isRestricted } from '$core/windows';
	import { TOUCH_WORDS } from '$ui/drift';
	import { ConfigText } from '$ui/config';
	import { TextDifference } from '$ui/edit';
	import { act } from '$ui/forms';
	import { MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { clock, duration, Serial, momentOf, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { SendTrack, standingOfSend } from '$ui/send';

	let { data, form } = $props();
	const listed = (words: readonly string[]) => new Intl.ListFormat('en').format(words);
	onMount(() => refreshOn(['sends']));

	const look = $derived(data.look?.ok ? data.look.done : null);
	/** The same thing is wanted when the page is read again and when it is sent. */
	const wanted = $derived(
		page.url.search
			.replace(/^\?/, '')
			.replace(/&?\banew\b(=[^&]*)?/, '')
			.replace(/&?\/send\b(=[^&]*)?/, '')
	);
	const maySend = $derived(mayDo('send', data.unit.customerId));
	let whole = $state(false);
	const earlier = $derived(data.sends.filter(({ id }) => id !== data.underWay?.id));
	/** Something may still be loaded at it from the last one. */
	const wasRefused = $derived(data.sends[0]?.send.state === 'refused');
</script>

<PageHead title="Send to {data.unit.serial}">
	{#snippet name()}Send to <Serial serial={data.unit.serial} />{/snippet}
	{#snippet acts()}<Button href="/units/{data.unit.id}" size="sm" color="alternative">Back to the unit</Button
		>{/snippet}
	{#snippet more()}
		<MenuLink href="/units/{data.unit.id}/dialogue">What was said to it</MenuLink>
		{#if data.place}<MenuLink href="/positions/{data.place.positionId}/preview"
				>Where each line comes from</MenuLink
			>{/if}
	{/snippet}
	{#snippet about()}<span
			>{data.unit.makerName}
			{data.unit.modelName}{data.place ? ` at ${data.place.site}, ${data.place.position}` : ''}</span
		>{/snippet}
</PageHead>
<FormWords {form} />

{#if data.underWay}
	<section class="sheet mt-3 p-4" aria-live="polite">
		<SendTrack one={data.underWay} isConnected={data.isConnected} now={clock.now} />
	</section>
{:else if data.look && !data.look.ok}
	<Notice kind="careful" class="mt-3">{data.look.problem}</Notice>
{:else if look}
	{#if look.isSame}
		<p class="sheet mt-3 p-4">
			<b>It runs {data.wanted.kind === 'due' ? 'what it should' : 'this already'}.</b> Nothing is to be sent.
			<span class="quiet">Read <When at={look.readAt} />.</span>
		</p>
	{:else}
		<section class="mt-4">
			<div class="flex flex-wrap items-baseline justify-between gap-x-4 gap-y-1">
				<h2>What this changes</h2>
				<Checkbox bind:checked={whole}>the whole text</Checkbox>
			</div>
			<p class="quiet">
				From what it runs (read <When at={look.readAt} />) to {look.words}. What goes is struck, what comes is
				marked. <a href="?{wanted ? `${wanted}&` : ''}anew" data-sveltekit-replacestate>Read it again</a>
			</p>
			{#if look.undoes.length > 0}<Notice kind="careful" class="mt-2"
					>The plan says otherwise in {counted(look.undoes.length, 'place')}: after this the unit is told as
					drifted there, until the plan follows or it is put right.</Notice
				>{/if}
			{#key `${look.running}\n${look.intended}`}<div class="mt-2">
					<TextDifference before={look.running} after={look.intended} label="What this changes" {whole} />
				</div>{/key}
		</section>
		<section class="mt-4">
			<h2>What it interrupts</h2>
			<p>
				{#if look.interrupts.touches.length > 0}It touches {listed(
						look.interrupts.touches.map((one) => TOUCH_WORDS[one].replace('touches ', ''))
					)}.{:else}It touches neither the way to the unit nor who gets in.{/if}
				Its connection to Limen ends and is made again{#if look.interrupts.behind.length > 0}; if that fails,
					{listed(look.interrupts.behind)}, which {look.interrupts.behind.length === 1 ? 'hangs' : 'hang'} on it,
					can be away for up to {duration(look.seconds * 1000)}{/if}.
				{#if look.interrupts.silentPorts.length > 0}<span class="quiet"
						>Nothing is said of {look.interrupts.silentPorts.length === 1 ? 'the port' : 'the ports'}
						<span class="mono">{look.interrupts.silentPorts.join(', ')}</span>.</span
					>{/if}
			</p>
			{#if data.window}<p class="mt-1">
					{#if !isRestricted(data.window.window)}<span class="quiet">Allowed at any time here.</span>
					{:else if data.window.isOpen}A window is open until {momentOf(
							new Date(data.window.next!.until),
							data.window.window.zone
						)}, its time.
					{:else}<b>{data.window.words}</b>{/if}
					{#if data.window.window.asksFirst}{data.window.contact || 'The contact of this site'} is asked first.{/if}
				</p>{/if}
		</section>
		<section class="mt-4">
			<h2>What is said to it</h2>
			{#if look.commands}<p class="quiet">
					Only what differs, {counted(look.commands.length, 'line')}; nothing that is equal is touched.
				</p>
				<ConfigText text={look.commands.join('\n')} label="Commands" />
			{:else}<p class="quiet">
					The whole configuration is loaded, and takes the place of what it runs.{#if look.whyWhole}&nbsp;{look.whyWhole}{/if}
				</p>{/if}
		</section>
		{#if maySend}
			<form
				method="POST"
				action="?{wanted ? `${wanted}&` : ''}/send"
				use:act
				class="sheet mt-4 flex flex-wrap items-center gap-x-6 gap-y-3 p-4"
			>
				<input type="hidden" name="reading" value={look.readingId} />
				<input type="hidden" name="fingerprint" value={look.fingerprint} />
				<p class="max-w-prose">
					The unit takes it for {look.seconds} seconds. If it does not come back within them and run this, it goes
					back to what it runs now, by itself.
				</p>
				{#if wasRefused}<Checkbox name="discards"
						>First throw away what somebody loaded at it and did not put to use</Checkbox
					>{/if}
				<Button type="submit" class="ml-auto">Send to this unit</Button>
			</form>
		{:else}<p class="quiet mt-3">Sending is for coordinators and engineers of this customer.</p>{/if}
	{/if}
{/if}

{#if earlier.length > 0}
	<section class="mt-6">
		<h2 id="earlier">Earlier sends to this unit</h2>
		<ul aria-labelledby="earlier" class="mt-2 divide-y divide-[var(--line)]">
			{#each earlier as one (one.id)}
				<li class="py-2">
					<div class="flex flex-wrap items-center gap-x-3">
						<Standing standing={standingOfSend(one.send)} word={sendTitle(one.send.state)} />
						<span class="quiet"><When at={one.askedAt} />, by {one.askedBy}</span>
					</div>
					<p>
						{sendWords(one.send.state)}
						{#if one.send.refusal && one.send.state !== 'confirmed'}<span class="mono text-sm"
								>{one.send.refusal}</span
							>{/if}
					</p>
					{#if one.reason}<p class="quiet">Why: {one.reason}</p>{/if}
				</li>
			{/each}
		</ul>
	</section>
{/if}
