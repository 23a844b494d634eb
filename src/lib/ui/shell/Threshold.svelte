<script lang="ts">
	import { onMount, type Snippet } from 'svelte';
	import Mark from './Mark.svelte';

	/** What is seen before signing in: the way in on the left of the doorline. */
	let { children }: { children: Snippet } = $props();
	onMount(() => void (document.documentElement.dataset.ready = 'yes'));
</script>

<div class="threshold">
	<main id="content">
		<p class="product"><Mark size={34} /> <span>Limen</span></p>
		{@render children()}
	</main>
</div>

<style>
	.threshold {
		min-height: 100vh;
		display: grid;
		place-items: center;
		padding: 1.5rem 1rem;
	}
	main {
		width: min(26rem, 100%);
		padding: 2rem 1.9rem;
		background: var(--sheet);
		border: 1px solid var(--hairline);
		border-right: 5px solid var(--marigold);
		border-radius: 8px;
	}
	.product {
		display: flex;
		align-items: center;
		gap: 0.6rem;
		color: var(--pine);
		font-weight: 700;
		font-size: 1.5rem;
		margin-bottom: 1.2rem;
	}
</style>
