<script lang="ts">
	let { size = 26 }: { size?: number } = $props();
</script>

<svg viewBox="0 0 32 32" width={size} height={size} aria-hidden="true">
	<path d="M4 16h15" stroke="currentColor" stroke-width="3.5" stroke-linecap="round" /><path
		d="M24 4v24"
		stroke="var(--marigold)"
		stroke-width="4.5"
		stroke-linecap="round"
	/>
</svg>
