<script lang="ts">
	import { counted } from '$core/text';
	import { Standing, When } from '$ui/marks';

	/** Whether a webhook is heard, and what waits for it. */
	let {
		webhook
	}: {
		webhook: {
			readonly isOn: boolean;
			readonly failures: number;
			readonly trouble: string;
			readonly nextAt: Date;
			readonly waiting: number;
			readonly taken: number;
			readonly givenUp: number;
		};
	} = $props();
</script>

<span class="inline-flex flex-wrap items-center gap-x-3">
	{#if webhook.failures > 0}<Standing standing="stuck" word="not heard" />
	{:else if !webhook.isOn}<Standing standing="cancelled" word="off" />
	{:else if webhook.taken > 0}<Standing standing="online" word="heard" />
	{:else}<Standing standing="waiting" word="nothing told yet" />{/if}
	<span class="quiet"
		>{[
			webhook.taken > 0 && `${webhook.taken.toLocaleString('en')} taken`,
			webhook.waiting > 0 && `${webhook.waiting.toLocaleString('en')} waiting`,
			webhook.givenUp > 0 && `${webhook.givenUp.toLocaleString('en')} given up`
		]
			.filter(Boolean)
			.join(', ')}</span
	>
</span>
{#if webhook.failures > 0}<p class="mt-1">
		{webhook.trouble}
		<span class="quiet"
			>{counted(webhook.failures, 'failure')} in a row{#if webhook.isOn}; tried again <When
					at={webhook.nextAt}
				/>{:else}; it is off{/if}.</span
		>
	</p>{/if}
