<script lang="ts">
	import { Progressbar } from 'flowbite-svelte';
	import { progressWords, shareOf, type Progress } from '$core/long-work';

	/** How far a piece of long work is: a bar while it is under way, and the sentence in any case. */
	let { work }: { work: Progress } = $props();
	const percent = $derived(Math.floor(shareOf(work) * 100));
</script>

{#if work.state === 'under way'}<span class="bar"
		><Progressbar progress={percent} size="h-2" animate={false} aria-label="Done so far" /></span
	>{/if}<span class:bad={work.failed > 0}>{progressWords(work)}</span>

<style>
	.bar {
		display: inline-block;
		width: 9rem;
		margin-right: 0.75rem;
		vertical-align: middle;
	}
	.bad {
		color: var(--brick);
		font-weight: 600;
	}
</style>
