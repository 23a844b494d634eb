<script lang="ts">
	/** How a line of a chart is drawn, beside its name. */
	let { colour, dash }: { colour: string; dash: string | undefined } = $props();
</script>

<svg width="26" height="8" class="inline-block" aria-hidden="true"
	><line x1="0" x2="26" y1="4" y2="4" stroke={colour} stroke-width="2.5" stroke-dasharray={dash} /></svg
>
