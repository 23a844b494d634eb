<script lang="ts">
	import { exactly } from '$core/text';
	import { clock } from './clock.svelte';

	/** A time, relative to now; the exact one with its zone on hover. */
	let {
		at,
		zone,
		plain = false
	}: { at: Date | number | string | null; zone?: string; plain?: boolean } = $props();

	const time = $derived(at === null ? null : new Date(at));
	const exact = $derived(time && exactly(time, zone));

	const UNITS = [
		['day', 86_400],
		['hour', 3_600],
		['minute', 60]
	] as const;
	const words = new Intl.RelativeTimeFormat('en', { numeric: 'auto', style: 'short' });
	function relative(then: number, now: number): string {
		// What has just happened elsewhere can seem to be a moment ahead
		const ahead = (then - now) / 1000;
		const seconds = ahead > 0 && ahead < 60 ? 0 : ahead;
		const unit = UNITS.find(([, length]) => Math.abs(seconds) >= length);
		return unit
			? words.format(Math.trunc(seconds / unit[1]), unit[0])
			: Math.abs(seconds) < 10
				? 'just now'
				: words.format(Math.trunc(seconds), 'second');
	}
</script>

{#if time}<time datetime={time.toISOString()} title={exact} class="whitespace-nowrap"
		>{plain ? exact : relative(time.getTime(), clock.now)}</time
	>{:else}<span class="quiet">never</span>{/if}
