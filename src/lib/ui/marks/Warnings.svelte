<script lang="ts">
	/** What speaks against a pairing, where it is offered. */
	let { warnings }: { warnings: readonly string[] } = $props();
</script>

{#each warnings as warning (warning)}<div class="font-semibold text-[var(--amber)]">{warning}</div>{/each}
