<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { goto } from '$app/navigation';
	import { refreshOn } from '$ui/live';
	import { Serial, momentOf, Warnings } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['runs', 'units', 'plan']));

	let heard = $state(untrack(() => data.heard));
	let field: HTMLInputElement | undefined = $state();
	let forms: HTMLFormElement[] = $state([]);
	onMount(() => field?.focus());

	/** The address follows what is typed: what is found can be come back to. */
	async function look(): Promise<void> {
		const query = heard.trim() === '' ? '' : `?q=${encodeURIComponent(heard.trim())}`;
		await goto(`/phone${query}`, { replaceState: true, keepFocus: true, noScroll: true });
	}
	interface Bound {
		readonly positionId: string;
		readonly siteId: string;
		readonly serial: string;
		readonly place: string;
		readonly phrase: string;
	}
	/** Stays while the next call is typed. */
	let bound: Bound | null = $state(untrack(() => (form && 'bound' in form ? (form.bound as Bound) : null)));
	const isCurrent = $derived(data.heard === heard.trim());
</script>

<PageHead title="By phone">
	{#snippet about()}<span
			>Type what you hear: the end of the serial number or MAC address, a part of the site’s name, in any
			order.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if bound}
	<section class="sheet mt-3 border-l-4 border-l-[var(--pine)] p-4" role="status">
		<p>
			<Serial serial={bound.serial} /> is bound to
			<a href="/sites/{bound.siteId}?position={bound.positionId}">{bound.place}</a>. Say this aloud; they see
			the same beside the unit:
		</p>
		<p class="mt-1 text-3xl font-bold" data-testid="check-phrase">{bound.phrase}</p>
		<form
			method="POST"
			action="?/undo"
			use:act={() =>
				async ({ result, update }) => {
					await update();
					if (result.type === 'success') bound = null;
				}}
			class="mt-3"
		>
			<input type="hidden" name="position" value={bound.positionId} />
			<Button type="submit" size="sm" color="alternative">It is not the same: undo</Button>
		</form>
	</section>
{/if}
<form
	class="mt-4"
	onsubmit={async (event) => {
		event.preventDefault();
		if (!isCurrent) await look();
		// What something speaks against is looked at first
		if (data.pairs[0]?.sure && data.pairs[0].warnings.length === 0) forms[0]?.requestSubmit();
	}}
>
	<FormField
		label="What you hear"
		mono
		class="w-full max-w-2xl text-xl"
		id="heard"
		bind:elementRef={field}
		bind:value={heard}
		oninput={look}
		placeholder="4f2a queen"
		maxlength={200}
		autocomplete="off"
		spellcheck="false"
	/>
</form>
{#if data.heard === ''}
	<p class="sheet mt-4 p-5">
		The three likeliest pairs of a claimed unit and an open position come up here. <a href="/intake"
			>Claim units</a
		>
		first if theirs is not known yet.
	</p>
{:else if data.pairs.length === 0}
	<p class="sheet mt-4 p-5" role="status">
		No claimed unit without a position, and no open position that suits it, has any of this. It may be bound
		already: <a href="/find?q={encodeURIComponent(data.heard)}">look for it everywhere</a>.
	</p>
{:else}
	{#if !data.pairs[0]!.sure}<p class="mt-4">
			Several fit. Ask for a few more characters of the label, or for the street.
		</p>{/if}
	<ol class="mt-4 space-y-3" aria-label="Likeliest pairs">
		{#each data.pairs as { unit, position, unheard, sure, warnings }, index (`${unit.id} ${position.id}`)}
			<li class="sheet flex flex-wrap items-center gap-x-5 gap-y-2 p-4" class:first={sure}>
				<div>
					<span class="text-lg"><Serial serial={unit.serial} /></span>
					<div class="quiet">{unit.modelName} <span class="mono">{unit.mac ?? ''}</span></div>
				</div>
				<span class="arrow" aria-hidden="true">→</span>
				<div>
					<b>{position.siteName}, {position.name}</b>
					<div class="quiet">
						{position.roleName} of {position.customerName}{#if position.appointmentAt !== null}
							· appointment {momentOf(position.appointmentAt, position.timeZone)}{/if}
					</div>
					{#if unheard.length > 0}<div class="text-[var(--brick)]">Not found: {unheard.join(', ')}</div>{/if}
					<Warnings {warnings} />
				</div>
				<form
					method="POST"
					action="?/bind&q={encodeURIComponent(data.heard)}"
					bind:this={forms[index]}
					use:act={() =>
						async ({ result, update }) => {
							await update();
							if (result.type !== 'success') return;
							bound = result.data?.bound as Bound;
							heard = '';
							await look();
							field?.focus();
						}}
					class="ml-auto"
				>
					<input type="hidden" name="unit" value={unit.id} />
					<input type="hidden" name="position" value={position.id} />
					<Button type="submit" size="sm" color={sure ? 'primary' : 'alternative'}
						>Bind {unit.serial.slice(-4)}{#if sure && warnings.length === 0}&nbsp;(Enter){/if}</Button
					>
				</form>
			</li>
		{/each}
	</ol>
{/if}

<style>
	.first {
		box-shadow: inset 4px 0 0 var(--marigold);
	}
	@media (max-width: 700px) {
		.arrow {
			display: none;
		}
	}
</style>
