<script lang="ts">
	import { counted } from '$core/text';
	import { Standing, When } from '$ui/marks';

	/** How a connector does: whether it is read, and what waits to be looked at. */
	let {
		connector
	}: {
		connector: {
			readonly failures: number;
			readonly trouble: string;
			readonly mapping: object | null;
			readonly everyMinutes: number | null;
			readonly nextAt: Date;
			readonly known: number;
			readonly last: {
				readonly state: string;
				readonly open: number;
				readonly isLook: boolean;
				readonly endedAt: Date | null;
			} | null;
		};
	} = $props();
	const last = $derived(connector.last);
</script>

<span class="inline-flex flex-wrap items-center gap-x-3">
	{#if last?.state === 'waiting'}<Standing standing="moving" word="being read" />
	{:else if connector.failures > 0}<Standing standing="stuck" word="cannot be read" />
	{:else if connector.mapping === null}<Standing standing="waiting" word="columns are to be chosen" />
	{:else if last && last.open > 0}<Standing
			standing="waiting"
			word="{last.open.toLocaleString('en')} to look at"
		/>
	{:else if last}<Standing standing="online" word="as its source says" />
	{:else}<Standing standing="waiting" word="not read yet" />{/if}
	<span class="quiet"
		>{#if last?.endedAt}read <When at={last.endedAt} />{/if}{#if connector.known > 0}{last?.endedAt
				? ', '
				: ''}{counted(connector.known, 'record')} known{/if}{#if connector.everyMinutes && connector.mapping},
			again
			<When at={connector.nextAt} />{/if}</span
	>
</span>
{#if connector.trouble && connector.failures > 0}<p class="mt-1 text-[var(--brick)]">
		{connector.trouble}{#if connector.failures > 1}
			It failed {connector.failures} times in a row.{/if}
	</p>{/if}
