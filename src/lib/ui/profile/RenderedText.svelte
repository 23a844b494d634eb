<script lang="ts" module>
	/** A line of a rendering with where it came from. */
	export interface Line {
		readonly text: string;
		readonly part: string | null;
		readonly sources: readonly number[];
		readonly fields: readonly string[];
	}
</script>

<script lang="ts">
	import { onMount } from 'svelte';

	/**
	 * A rendering whose every line tells where it came from: on pointing at it, and with the arrow keys.
	 */
	let {
		lines,
		label,
		begin = null,
		sourceOf = () => ''
	}: {
		lines: readonly Line[];
		label: string;
		/** The number of the line that is looked at first. */
		begin?: number | null;
		/** Where a field's value was given, in words. */
		sourceOf?: (field: string) => string;
	} = $props();

	// svelte-ignore state_referenced_locally (where one begins)
	let at = $state(begin === null ? 0 : begin - 1);
	let list: HTMLElement;
	const line = $derived(lines[Math.min(at, lines.length - 1)]);

	/** Lines that scroll past a resting pointer are not pointed at. */
	const pointAt = ({ movementX, movementY }: PointerEvent, index: number) => {
		if (movementX !== 0 || movementY !== 0) at = index;
	};

	onMount(() => {
		if (begin !== null) list.children[at]?.scrollIntoView({ block: 'center' });
	});

	function move(event: KeyboardEvent): void {
		const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1, PageDown: 15, PageUp: -15 }[event.key];
		const next =
			event.key === 'Home'
				? 0
				: event.key === 'End'
					? lines.length - 1
					: step === undefined
						? null
						: at + step;
		if (next === null || event.ctrlKey || event.metaKey || event.altKey) return;
		event.preventDefault();
		event.stopPropagation();
		at = Math.max(0, Math.min(lines.length - 1, next));
		list.children[at]?.scrollIntoView({ block: 'nearest' });
	}
</script>

<div class="rendered mt-2">
	<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the arrow keys move along its lines) -->
	<div
		class="sheet config-text"
		tabindex="0"
		role="region"
		aria-label={label}
		aria-describedby="origin-of-line"
		onkeydown={move}
		bind:this={list}
	>
		{#each lines as one, index (index)}<!-- svelte-ignore a11y_no_static_element_interactions (pointing only shows more) -->
			<div class:at={index === at} onpointermove={(event) => pointAt(event, index)} data-part={one.part}>
				<i aria-hidden="true">{index + 1}</i>{one.text}
			</div>{/each}
	</div>
	<div class="origin" id="origin-of-line" aria-live="polite" data-testid="origin">
		{#if line}
			<span class="quiet">Line {at + 1}</span>
			{#if line.part === null}<span>from the dialect itself, not from a part</span>{:else}
				<b>{line.part}</b>
				<span>line {line.sources.join(', ')}</span>
				{#each line.fields as field (field)}
					<span class="field-origin"
						><span class="mono">{field}</span>{#if sourceOf(field)}, {sourceOf(field)}{/if}</span
					>
				{/each}
			{/if}
		{/if}
	</div>
</div>

<style>
	.config-text {
		max-height: 32rem;
		padding: 0.6rem 0;
		border-bottom-left-radius: 0;
		border-bottom-right-radius: 0;
	}
	.config-text > div {
		padding-right: 1rem;
		min-height: 1.3rem;
		width: max-content;
		min-width: 100%;
	}
	.at {
		background: var(--chosen);
	}
	i {
		display: inline-block;
		width: 2.6rem;
		margin-right: 0.9rem;
		padding-right: 0.5rem;
		text-align: right;
		font-style: normal;
		color: var(--quiet);
		border-right: 1px solid var(--hairline);
		user-select: none;
	}
	.origin {
		display: flex;
		flex-wrap: wrap;
		gap: 0.2rem 0.8rem;
		min-height: 2.4rem;
		padding: 0.45rem 0.8rem;
		border: 1px solid var(--hairline);
		border-top: 2px solid var(--marigold);
		border-radius: 0 0 8px 8px;
		background: var(--chosen);
	}
	.field-origin {
		padding-left: 0.8rem;
		border-left: 1px solid var(--hairline);
	}
</style>
