<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { counted } from '$core/text';
	import { HandoverTable } from '$ui/handover';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';

	let { data } = $props();
	onMount(() => refreshOn(['proofs']));
	let chosen = $state<string[]>([]);
	const zip = $derived(`/handovers/zip?${chosen.map((id) => `id=${id}`).join('&')}`);
</script>

<PageHead title="Handovers">
	{#snippet state()}<span>{counted(data.handovers.length, 'handover')}</span>{/snippet}
	{#snippet acts()}
		{#if chosen.length > 0}<Button href={zip} size="sm" data-sveltekit-reload
				>Download {counted(chosen.length, 'handover')} as ZIP</Button
			>{/if}
		<Button href="/records" size="sm" color="alternative">Records</Button>
	{/snippet}
	{#snippet about()}<span
			>The sealed records of sites that were proven and handed over. They never change; a later one says what
			differs.</span
		>{/snippet}
</PageHead>
{#if data.handovers.length === 0}
	<p class="sheet mt-4 p-6">
		No site was handed over yet. A site is handed over from its own page, once its proof has ended.
	</p>
{:else}
	<HandoverTable rows={data.handovers} bind:chosen />
{/if}
