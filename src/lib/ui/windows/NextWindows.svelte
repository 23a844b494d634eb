<script lang="ts">
	import { dayOf, hourOf } from '$core/text';
	import { isRestricted, openSpans, type Window } from '$core/windows';
	import { clock, duration } from '../marks';

	/** When a window is open next, in the site's own time. */
	let { window, most = 4 }: { window: Window; most?: number } = $props();
	const LOOK_DAYS = 60;
	/** By the minute: nobody needs it counted by the second. */
	const now = $derived(Math.floor(clock.now / 60_000) * 60_000);
	const spans = $derived(openSpans(window, now, now + LOOK_DAYS * 86_400_000).slice(0, most));
	const words = ({ from, until }: (typeof spans)[number]) =>
		dayOf(from, window.zone) === dayOf(until, window.zone)
			? `${dayOf(from, window.zone, now)}, ${hourOf(from, window.zone)}–${hourOf(until, window.zone)}`
			: `${dayOf(from, window.zone, now)}, ${hourOf(from, window.zone)} – ${dayOf(until, window.zone, now)}, ${hourOf(until, window.zone)}`;
</script>

{#if !isRestricted(window)}
	<p>At any time.</p>
{:else if spans.length === 0}
	<p>None in the next {LOOK_DAYS} days.</p>
{:else}
	<ul>
		{#each spans as span (span.from)}<li>
				{#if span.from <= now}<b>open now</b>, for another {duration(span.until - now)}{:else}{words(
						span
					)}{/if}
			</li>{/each}
	</ul>
{/if}
