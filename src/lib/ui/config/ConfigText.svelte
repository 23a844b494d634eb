<script lang="ts">
	/** A configuration with its line numbers; numbers are not copied. */
	let { text, label, mark = null }: { text: string; label: string; mark?: number | null } = $props();
	const lines = $derived(text.replace(/\n$/, '').split('\n'));
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls must be reached by the keyboard) -->
<div class="sheet config-text mt-2" tabindex="0" role="region" aria-label={label}>
	{#each lines as line, index (index)}<div class:mark={mark === index + 1}>
			<i aria-hidden="true">{index + 1}</i>{line}
		</div>{/each}
</div>

<style>
	.config-text {
		max-height: 34rem;
		padding: 0.6rem 0;
	}
	.mark {
		background: color-mix(in srgb, var(--brick) 18%, transparent);
	}
</style>
