<script lang="ts">
	import type { Snippet } from 'svelte';

	/** A compact strip of facts: each a name with what it is below, side by side where there is room. */
	let { children }: { children: Snippet } = $props();
</script>

<dl class="strip">{@render children()}</dl>

<style>
	.strip {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(11rem, 1fr));
		gap: 0.5rem 1.5rem;
		margin-top: 0.75rem;
		padding: 0.6rem 0.9rem;
		border: 1px solid var(--hairline);
		border-radius: 6px;
		background: var(--sheet);
	}
	.strip :global(dt) {
		color: var(--quiet);
		font-size: 0.93rem;
	}
	.strip :global(dd) {
		overflow-wrap: anywhere;
	}
</style>
