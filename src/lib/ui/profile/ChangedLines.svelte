<script lang="ts">
	/** Lines that go and lines that come, place by place. */
	let {
		hunks,
		label
	}: {
		hunks: readonly {
			/** Its line; null where lines have no number. */
			readonly at: number | null;
			readonly removed: readonly string[];
			readonly added: readonly string[];
		}[];
		label: string;
	} = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls must be reached by the keyboard) -->
<div class="config-text mt-2" tabindex="0" role="region" aria-label={label}>
	{#each hunks as { at, removed, added }, index (index)}
		{#if at !== null}<div class="quiet">line {at}</div>{/if}
		{#each removed as line, n (n)}<div class="gone"><i>was</i><span>{line}</span></div>{/each}
		{#each added as line, n (n)}<div class="new"><i>is</i><span>{line}</span></div>{/each}
	{/each}
</div>

<style>
	.config-text {
		max-height: 22rem;
		white-space: normal;
	}
	.config-text div {
		display: flex;
		width: max-content;
		min-width: 100%;
	}
	.config-text span {
		white-space: pre;
	}
	.config-text i {
		flex: none;
		width: 3rem;
		font-style: normal;
		color: var(--quiet);
	}
	.gone {
		background: color-mix(in srgb, var(--brick) 12%, transparent);
	}
	.new {
		background: var(--chosen);
	}
</style>
