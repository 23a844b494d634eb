<script lang="ts">
	import { onMount } from 'svelte';
	import { PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';
	import { WebhookForm, WebhookSecret, WebhookStanding } from '$ui/webhooks';

	let { data, form } = $props();
	onMount(() => refreshOn(['webhooks']));
</script>

<PageHead title="Webhooks">
	{#snippet about()}<a href="/people">People</a><span
			>Other programs are told what happens, as CloudEvents, signed, and again until they have it.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<WebhookSecret {form} />
<ul class="sheet mt-3 max-w-4xl empty:hidden" aria-label="Webhooks">
	{#each data.webhooks as webhook (webhook.id)}<li data-webhook={webhook.name}>
			<p class="flex flex-wrap items-baseline gap-x-3">
				<a class="font-bold" href="/people/webhooks/{webhook.id}">{webhook.name}</a>
				<span class="mono text-sm break-all">{webhook.url}</span>
				<span class="quiet">{webhook.customer ?? 'every customer'}</span>
			</p>
			<WebhookStanding {webhook} />
		</li>{/each}
</ul>
{#if data.webhooks.length === 0}<p class="sheet mt-3 max-w-4xl p-4">There is none yet.</p>{/if}
<h2 class="mt-6">Another webhook</h2>
{#key data.webhooks.length}<WebhookForm customers={data.customers} />{/key}
