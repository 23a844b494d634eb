<script lang="ts">
	import { exactly, relatively } from '$core/text';
	import { clock } from './clock.svelte';

	/** A time, relative to now; the exact one with its zone on hover. */
	let {
		at,
		zone,
		plain = false
	}: { at: Date | number | string | null; zone?: string; plain?: boolean } = $props();

	const time = $derived(at === null ? null : new Date(at));
	const exact = $derived(time && exactly(time, zone));
</script>

{#if time}<time datetime={time.toISOString()} title={exact} class="whitespace-nowrap"
		>{plain ? exact : relatively(time, clock.now, zone)}</time
	>{:else}<span class="quiet">never</span>{/if}
