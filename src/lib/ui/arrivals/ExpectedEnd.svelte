<script lang="ts">
	import { endsWords, shareDone, type Ends } from '$core/watch';
	import { clock } from '../marks';

	/** When something is expected to be done: a bar against its expected length, and the words. `from`: when it began. */
	let {
		ends,
		from,
		zone,
		brief = false
	}: { ends: Ends; from: number | null; zone?: string; brief?: boolean } = $props();
	const words = $derived(endsWords(ends, clock.now, zone));
	const shown = $derived(brief ? words.replace(/^(should be )?done (in )?/, '').replace(/,.*/, '') : words);
</script>

<span class="end" class:brief title={words}>
	{#if from !== null}<span class="bar" aria-hidden="true"
			><span style:width="{100 * shareDone(from, ends, clock.now)}%"></span></span
		>{/if}<span>{shown}</span>
</span>

<style>
	.end {
		display: inline-flex;
		align-items: center;
		gap: 0.5em;
	}
	.bar {
		flex: none;
		width: 3.6rem;
		height: 0.4rem;
		background: var(--hairline);
		border-radius: 0.2rem;
		overflow: hidden;
	}
	.brief .bar {
		width: 2.2rem;
	}
	.bar span {
		display: block;
		height: 100%;
		background: var(--pine);
		transition: width 1s linear;
	}
	@media (prefers-reduced-motion: reduce) {
		.bar span {
			transition: none;
		}
	}
</style>
