<script lang="ts">
	import Shape, { colourOf } from './Shape.svelte';
	import type { Shown } from './shown';

	/** A standing, told by shape and word first, colour second. */
	let {
		standing,
		word = standing,
		bare = false
	}: { standing: Shown; word?: string; bare?: boolean } = $props();
</script>

<span class="standing" style:color={colourOf(standing)}>
	<svg viewBox="-8 -8 16 16" width="14" height="14" aria-hidden="true"><Shape {standing} /></svg>
	{#if bare}<span class="sr-only">{word}</span>{:else}<span>{word}</span>{/if}
</span>

<style>
	.standing {
		display: inline-flex;
		align-items: center;
		gap: 0.4em;
		white-space: nowrap;
		font-weight: 600;
		vertical-align: bottom;
	}
	svg {
		flex: none;
	}
	/* So that its words stand on the line of those beside it */
	.standing > span {
		align-self: baseline;
	}
</style>
