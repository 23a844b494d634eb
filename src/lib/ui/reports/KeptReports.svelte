<script lang="ts">
	import { counted } from '$core/text';
	import type { KeptReport } from '$lib/server/reports';
	import { Standing, When } from '../marks';

	/** Reports that were made, the last first. */
	let { reports, label }: { reports: readonly KeptReport[]; label: string } = $props();
	const period = ({ asked: { from, to } }: KeptReport) => (from === to ? from : `${from} to ${to}`);
</script>

<ul class="sheet mt-2 empty:hidden" aria-label={label}>
	{#each reports as report (report.id)}<li class="flex flex-wrap items-baseline gap-x-3">
			<a class="font-bold underline" href="/records/reports/{report.id}">{period(report)}</a>
			<span>{report.customer ?? 'every customer'}</span>
			{#if report.schedule}<span class="quiet">“{report.schedule}”</span>{/if}
			<span class="quiet"
				>{report.schedule ? 'for' : 'asked for by'} {report.askedBy}, <When at={report.askedAt} /></span
			>
			{#if report.state === 'failed'}<Standing standing="stuck" word="not made" />
				<span class="quiet">{report.problem}</span>
			{:else if report.state === 'waiting'}<Standing standing="moving" word="being made" />
			{:else}
				{#if report.sent > 0}<span class="quiet">sent to {counted(report.sent, 'address', 'addresses')}</span
					>{/if}
				{#if report.lost > 0}<Standing
						standing="stuck"
						word="not sent to {counted(report.lost, 'address', 'addresses')}"
					/>{/if}
			{/if}
		</li>{/each}
</ul>
