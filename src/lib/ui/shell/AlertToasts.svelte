<script lang="ts">
	import { Toast } from 'flowbite-svelte';
	import BellOutline from 'flowbite-svelte-icons/BellOutline.svelte';
	import { page } from '$app/state';
	import { needs, putAway } from '../live';

	/** Alerts that have just begun, for a while in the corner of the page; where all stand, none is shown. */
	const shown = $derived(page.url.pathname === '/upkeep/events' ? [] : needs.alerts);
</script>

<div class="corner" role="status" aria-label="Alerts that have just begun">
	{#each shown as alert (alert.id)}<Toast
			color="red"
			class="max-w-sm border border-[var(--hairline)] bg-[var(--sheet)] text-[var(--ink)]"
			onclose={() => putAway(alert.id)}
		>
			{#snippet icon()}<BellOutline class="h-5 w-5" />{/snippet}
			<a class="font-semibold" href="/upkeep/alerts/{alert.id}" onclick={() => putAway(alert.id)}
				>{alert.where ?? 'An alert'}</a
			>
			<p class="text-sm">{alert.words}</p>
		</Toast>{/each}
</div>

<style>
	.corner {
		position: fixed;
		right: 1rem;
		bottom: 1rem;
		z-index: 30;
		display: grid;
		gap: 0.6rem;
	}
	@media (max-width: 640px) {
		.corner {
			left: 1rem;
			bottom: 5rem;
		}
	}
</style>
