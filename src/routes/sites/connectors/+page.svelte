<script lang="ts">
	import { onMount } from 'svelte';
	import { CONNECTOR_KIND_WORDS } from '$core/connector';
	import { ConnectorForm, ConnectorStanding } from '$ui/connectors';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['connectors']));
</script>

<PageHead title="Connectors">
	{#snippet about()}<a href="/sites">Sites</a><span
			>Another system’s list is read when it is due, compared, and taken over; what was changed here is never
			overwritten unasked.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<ul class="sheet mt-3 max-w-5xl empty:hidden" aria-label="Connectors">
	{#each data.connectors as connector (connector.id)}<li data-connector={connector.name}>
			<p class="flex flex-wrap items-baseline gap-x-3">
				<a class="font-bold" href="/sites/connectors/{connector.id}">{connector.name}</a>
				<span class="quiet">{connector.customer}: {CONNECTOR_KIND_WORDS[connector.kind]}</span>
				<span class="mono text-sm break-all">{connector.url ?? 'its folder'}</span>
			</p>
			<ConnectorStanding {connector} />
		</li>{/each}
</ul>
{#if data.connectors.length === 0}<p class="sheet mt-3 max-w-5xl p-4">There is none yet.</p>{/if}
<h2 class="mt-6">Another connector</h2>
<ConnectorForm customers={data.customers} patterns={data.patterns} />
