<script lang="ts">
	import { FormField } from '$ui/kit';
	import { untrack, type Snippet } from 'svelte';
	import { Serial, Warnings } from '$ui/marks';

	/** Chooses one of some units: by scanning it, by typing any part of it, or from the list. */
	interface Choice {
		readonly id: string;
		readonly serial: string;
		readonly mac: string | null;
		readonly modelName: string;
		/** A replacement says that it is for this place. */
		readonly isMeant?: boolean;
		/** What speaks against it here. */
		readonly warnings: readonly string[];
	}
	let {
		units,
		button,
		ondrag
	}: {
		units: readonly Choice[];
		/** What submits the form, given what is chosen. */
		button: Snippet<[Choice | null]>;
		/** A unit is being dragged to a position; null when it is let go. */
		ondrag?: (unit: Choice | null) => void;
	} = $props();

	/** What a dragged unit's id is called; nobody else's drag is taken for one. */
	const DRAGGED_UNIT = 'application/x-limen-unit';
	const MOST_DRAWN = 30;
	let typed = $state('');
	let marked = $state(untrack(() => units.find(({ isMeant }) => isMeant)?.id ?? ''));
	const offered = $derived.by(() => {
		const wanted = typed.toUpperCase().replace(/[^0-9A-Z]/g, '');
		return units.filter(
			({ serial, mac }) =>
				serial.includes(wanted) || (mac ?? '').toUpperCase().replace(/:/g, '').includes(wanted)
		);
	});
	const picked = $derived(
		offered.length === 1 ? offered[0]! : (offered.find(({ id }) => id === marked) ?? null)
	);
</script>

<input type="hidden" name="unit" value={picked?.id ?? ''} />
<div class="mt-2 flex flex-wrap items-center gap-3">
	<FormField
		label="Serial number or MAC address, or a part of it"
		bare
		kind="search"
		mono
		class="w-80"
		bind:value={typed}
		placeholder="Scan, or any part of it"
		autocomplete="off"
		spellcheck="false"
	/>
	{@render button(picked)}
	<span class="quiet">{offered.length} of {units.length} fit</span>
</div>
<ul class="choices mt-3">
	{#each offered.slice(0, MOST_DRAWN) as one (one.id)}
		<li>
			<label
				class:picked={picked?.id === one.id}
				draggable="true"
				ondragstart={(event) => {
					event.dataTransfer?.setData(DRAGGED_UNIT, one.id);
					ondrag?.(one);
				}}
				ondragend={() => ondrag?.(null)}
				><input
					type="radio"
					name="choice"
					value={one.id}
					checked={picked?.id === one.id}
					onchange={() => (marked = one.id)}
				/>
				<Serial serial={one.serial} /> <span class="quiet">{one.modelName}</span>
				<span class="quiet mono">{one.mac ?? ''}</span>{#if one.isMeant}<b>meant for this place</b
					>{/if}<Warnings warnings={one.warnings} /></label
			>
		</li>
	{/each}
</ul>

<style>
	.choices {
		max-height: 14rem;
		overflow: auto;
	}
	.choices label {
		display: flex;
		flex-wrap: wrap;
		gap: 0.8rem;
		align-items: center;
		padding: 0.4rem 0.5rem;
		cursor: pointer;
	}
	.choices label:hover,
	.choices .picked {
		background: var(--chosen);
	}
</style>
