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
		grid-template-columns: minmax(0, 30rem) 1fr;
	}
	main {
		padding: 12vh 2rem 2rem;
		background: var(--sheet);
		border-right: 5px solid var(--marigold);
	}
	.product {
		display: flex;
		align-items: center;
		gap: 0.6rem;
		color: var(--pine);
		font-weight: 700;
		font-size: 1.5rem;
		margin-bottom: 2rem;
	}
	@media (max-width: 640px) {
		.threshold {
			grid-template-columns: minmax(0, 1fr);
		}
		main {
			padding: 2rem 1.25rem;
			border-right: 0;
			border-bottom: 5px solid var(--marigold);
		}
	}
</style>
