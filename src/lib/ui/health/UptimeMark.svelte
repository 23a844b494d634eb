<script lang="ts">
	import { shareWords, type Uptime } from '$core/health';
	import { counted } from '$core/text';
	import { duration } from '../marks';

	/** For how much of the time something was there, in words that can be read aloud. */
	let { uptime }: { uptime: Uptime } = $props();
	const share = $derived(shareWords(uptime));
	const parts = $derived([
		...(uptime.away > 0 ? [`away ${counted(uptime.times, 'time')}, ${duration(uptime.away)}`] : []),
		...(uptime.planned > 0 ? [`${duration(uptime.planned)} as planned`] : [])
	]);
</script>

<span data-uptime={share ?? 'none'}
	>{#if share === null}<span class="quiet">not in service then</span>{:else}<b
			class="whitespace-nowrap tabular-nums">{share}</b
		>{/if}{#if parts.length > 0}<span class="quiet"
			>{#each parts as part, index (index)}{index > 0 ? '; ' : ' '}<span class="whitespace-nowrap"
					>{part}</span
				>{/each}</span
		>{/if}</span
>
