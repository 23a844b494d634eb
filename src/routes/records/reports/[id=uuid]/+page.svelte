<script lang="ts">
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { Form, FormField, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { ReportPaper } from '$ui/reports';

	let { data, form } = $props();
	onMount(() => refreshOn(['reports']));
	const report = $derived(data.report);
	/** To whom it did not come, not with a later letter either. */
	const lost = $derived.by(() => {
		const came = new Set(report.letters.filter(({ sentAt }) => sentAt).map(({ to }) => to.toLowerCase()));
		const not = report.letters.filter(({ to, givenUpAt }) => givenUpAt && !came.has(to.toLowerCase()));
		return [...new Set(not.map(({ to }) => to))];
	});
	const FILES = [
		['pdf', 'To read (PDF)'],
		['xlsx', 'Figures (XLSX)'],
		['csv', 'Figures (CSV)']
	] as const;
</script>

<PageHead title="{report.customer ?? 'Every customer'}, {report.asked.from} to {report.asked.to}">
	{#snippet about()}<a href="/records/reports">Reports</a>{#if report.schedule}<a
				href="/records/reports/schedules/{report.scheduleId}">{report.schedule}</a
			>{/if}<span
			>{report.schedule ? 'For' : 'Asked for by'}
			{report.askedBy}, <When at={report.askedAt} />. Kept until {report.keepUntil}.</span
		>{/snippet}
	{#snippet acts()}{#if report.document}{#each FILES as [kind, words] (kind)}<Button
					href="/records/reports/{report.id}/{kind}"
					size="sm"
					color="alternative"
					download>{words}</Button
				>{/each}{/if}{/snippet}
</PageHead>
<FormWords {form} />
{#if report.state === 'waiting'}<p class="sheet mt-3 max-w-3xl p-4" role="status">
		It is being made. This page shows it when it is there.
	</p>
{:else if report.state === 'failed'}<Notice kind="wrong">It was not made. {report.problem}</Notice>{/if}
{#if report.letters.length > 0}
	<h2 class="mt-4">To whom it went</h2>
	<ul class="sheet mt-2 max-w-3xl" aria-label="To whom it went">
		{#each report.letters as letter, at (at)}<li class="flex flex-wrap items-baseline gap-x-3">
				<span class="break-all">{letter.to}</span>
				{#if letter.sentAt}<span class="quiet">sent <When at={letter.sentAt} /></span>
				{:else if letter.givenUpAt}<Standing standing="stuck" word="not sent" />
					<span class="quiet">{letter.problem}</span>
				{:else if letter.problem}<Standing standing="late" word="is tried again" />
					<span class="quiet">{letter.problem}</span>
				{:else}<span class="quiet">on its way</span>{/if}
			</li>{/each}
	</ul>
{/if}
{#if report.document}
	<ReportPaper report={report.document} />
	{#if data.maySend}
		<h2 class="mt-6">Send it to somebody</h2>
		<Form action="?/send" class="sheet mt-2 max-w-3xl p-4">
			{#snippet children({ busy })}
				<input type="hidden" name="report" value={report.id} />
				<FormField
					label="To"
					kind="lines"
					name="recipients"
					stored={lost.join('\n')}
					hint="E-mail addresses, one on a line. It goes as it was made."
					required
				/>
				<Button type="submit" size="sm" class="mt-3" disabled={busy}>Send it</Button>
			{/snippet}
		</Form>
	{/if}
{/if}
