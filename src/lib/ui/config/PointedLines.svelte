<script lang="ts">
	import { onMount, type Snippet } from 'svelte';

	/** A configuration whose every line tells something of itself: on pointing at it, and with the arrow keys. */
	let {
		lines,
		label,
		begin = null,
		told
	}: {
		lines: readonly { readonly text: string; readonly part?: string | null }[];
		label: string;
		/** The number of the line that is looked at first; another one is gone to. */
		begin?: number | null;
		/** What a line tells, by its index. */
		told: Snippet<[number]>;
	} = $props();

	// svelte-ignore state_referenced_locally (where one begins)
	let chosen = $state(begin === null ? 0 : begin - 1);
	let list: HTMLElement;
	const id = $props.id();
	const at = $derived(Math.min(chosen, lines.length - 1));

	/** A line that was clicked stays, so that what it tells can be reached past other lines, until it is clicked again. */
	let held = $state<number | null>(null);
	/** Lines that scroll past a resting pointer are not pointed at. */
	const pointAt = ({ movementX, movementY }: PointerEvent, index: number) => {
		if (held === null && (movementX !== 0 || movementY !== 0)) chosen = index;
	};
	function hold(index: number): void {
		held = held === index ? null : index;
		chosen = index;
	}

	onMount(() => {
		if (begin !== null) list.children[at]?.scrollIntoView({ block: 'center' });
	});
	// svelte-ignore state_referenced_locally (gone to as it was mounted)
	let gone = begin;
	$effect(() => {
		if (begin === null || begin === gone) return;
		gone = begin;
		chosen = begin - 1;
		list.children[begin - 1]?.scrollIntoView({ block: 'nearest' });
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
		held = null;
		chosen = Math.max(0, Math.min(lines.length - 1, next));
		list.children[chosen]?.scrollIntoView({ block: 'nearest' });
	}
</script>

<div class="mt-2">
	<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the arrow keys move along its lines) -->
	<div
		class="sheet config-text"
		tabindex="0"
		role="region"
		aria-label={label}
		aria-describedby={id}
		onkeydown={move}
		bind:this={list}
	>
		{#each lines as one, index (index)}<!-- svelte-ignore a11y_no_static_element_interactions, a11y_click_events_have_key_events (pointing and clicking only show more; the arrow keys do the same) -->
			<div
				class:at={index === at}
				class:held={index === held}
				onpointermove={(event) => pointAt(event, index)}
				onclick={() => hold(index)}
				data-part={one.part}
			>
				<i aria-hidden="true">{index + 1}</i>{one.text}
			</div>{/each}
	</div>
	<div class="told" {id} aria-live="polite" data-testid="origin">
		<span class="quiet">Line {at + 1}</span>
		{@render told(at)}
	</div>
</div>

<style>
	.config-text {
		max-height: 32rem;
		padding: 0.6rem 0;
		border-bottom-left-radius: 0;
		border-bottom-right-radius: 0;
	}
	.at {
		background: var(--chosen);
	}
	.held {
		box-shadow: inset 3px 0 var(--marigold);
	}
	.told {
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
	.told > :global(:nth-child(n + 4)) {
		padding-left: 0.8rem;
		border-left: 1px solid var(--hairline);
	}
</style>
