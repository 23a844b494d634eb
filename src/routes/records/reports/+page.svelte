<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { page } from '$app/state';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { FIGURE_NAMES, FIGURES } from '$core/health';
	import { PERIODS, REPORT_PARTS, REPORT_PARTS_IN_ORDER, rhythmWords, type ReportPart } from '$core/report';
	import { counted } from '$core/text';
	import { Form, FormField, MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { KeptReports, ReportPaper, RhythmFields } from '$ui/reports';

	let { data, form } = $props();
	onMount(() => refreshOn(['reports']));
	let parts = $state<string[]>(untrack(() => [...data.asked.parts]));
	let figures = $state<string[]>(untrack(() => [...data.asked.figures]));
	let [from, to] = $state(untrack(() => [data.asked.from, data.asked.to]));
	let customer = $state(untrack(() => data.asked.customer ?? ''));
	const groups = $derived(data.cohorts.filter(({ customerId }) => customerId === customer));
	/** What the page shows, for the forms that make it or send it. */
	const asked = $derived([
		['customer', data.asked.customer ?? ''],
		['cohort', data.asked.cohort ?? ''],
		...data.asked.parts.map((part) => ['parts', part]),
		...data.asked.figures.map((figure) => ['figures', figure])
	]);
	const told = (part: ReportPart) =>
		part === 'changes' ? data.told.records : part !== 'secrets' || data.told.renderings;
	const isSending = $derived(data.maySend && page.url.searchParams.has('send'));
	const customerName = $derived(
		data.customers.find(({ id }) => id === data.asked.customer)?.name ?? 'every customer'
	);
</script>

{#snippet chosen()}{#each asked as [name, value] (`${name} ${value}`)}<input
			type="hidden"
			{name}
			{value}
		/>{/each}{/snippet}

{#snippet more()}<MenuLink href="/records/reports/look">How papers look</MenuLink>{/snippet}
<PageHead title="Reports" more={mayDo('manage people') ? more : undefined}>
	{#snippet about()}<a href="/records">Records</a><span
			>Choose what it tells, look at it as it will be, take it away or have it sent.</span
		>{/snippet}
	{#snippet acts()}{#if data.made}<Form action="?/make" casual
				>{#snippet children({ busy })}{@render chosen()}<input
						type="hidden"
						name="from"
						value={data.asked.from}
					/><input type="hidden" name="to" value={data.asked.to} /><Button
						type="submit"
						size="sm"
						disabled={busy}>Make its files</Button
					>{/snippet}</Form
			>{#if data.maySend && !isSending}<Button href="{page.url.search}&send=on" size="sm" color="alternative"
					>Send it regularly</Button
				>{/if}{/if}{/snippet}
</PageHead>
<FormWords {form} />
<form method="GET" class="sheet mt-3 max-w-7xl p-4">
	<fieldset>
		<legend class="font-semibold">What it tells</legend>
		<div class="mt-1 grid gap-x-6 gap-y-1 sm:grid-cols-2 lg:grid-cols-3">
			{#each REPORT_PARTS_IN_ORDER.filter(told) as part (part)}<Checkbox
					name="part"
					value={part}
					bind:group={parts}>{REPORT_PARTS[part]}</Checkbox
				>{/each}
		</div>
	</fieldset>
	{#if parts.includes('figures')}<fieldset class="mt-4">
			<legend class="font-semibold">Which figures</legend>
			<div class="mt-1 grid gap-x-6 gap-y-1 sm:grid-cols-3 lg:grid-cols-5">
				{#each FIGURE_NAMES as figure (figure)}<Checkbox name="figure" value={figure} bind:group={figures}
						>{FIGURES[figure].words}</Checkbox
					>{/each}
			</div>
		</fieldset>{/if}
	<div class="mt-4 flex flex-wrap items-end gap-3">
		<FormField label="Of" kind="select" name="customer" bind:value={customer}>
			<option value="">every customer</option>
			{#each data.customers as { id, name } (id)}<option value={id}>{name}</option>{/each}
		</FormField>
		{#if groups.length > 0}<FormField
				label="Of it"
				kind="select"
				name="cohort"
				stored={data.asked.cohort ?? ''}
				none="every unit"
				items={groups.map(({ id, name }) => ({ value: id, name: `the cohort “${name}”` }))}
			/>{/if}
		<FormField label="First day" kind="date" name="from" bind:value={from} />
		<FormField label="Last day" kind="date" name="to" bind:value={to} />
		{#each data.periods as period (period.name)}<Button
				size="sm"
				color="alternative"
				onclick={() => ([from, to] = [period.from, period.to])}>{PERIODS[period.name]}</Button
			>{/each}
		<Button type="submit" size="sm">Show it</Button>
	</div>
	{#if data.problem}<Notice kind="wrong">{data.problem}</Notice>{/if}
</form>

{#if data.made}
	{#if isSending}
		<h2 class="mt-6">Send it regularly</h2>
		<Form action="?/schedule" class="sheet mt-2 max-w-3xl p-4">
			{#snippet children({ busy })}
				{@render chosen()}
				<RhythmFields
					name="Report on {customerName}"
					rhythm={{ every: 'month', onDay: 1, hour: 7, zone: data.zone }}
				/>
				<Button type="submit" size="sm" class="mt-4" disabled={busy}>Send it from now on</Button>
			{/snippet}
		</Form>
		<h2 class="mt-6">As it would be for {data.asked.from} to {data.asked.to}</h2>
	{/if}
	<ReportPaper report={data.made} />
{/if}

{#if data.schedules.length > 0}
	<h2 class="mt-6">Sent regularly</h2>
	<ul class="sheet mt-2" aria-label="Reports that are sent regularly">
		{#each data.schedules as schedule (schedule.id)}<li class="flex flex-wrap items-baseline gap-x-3">
				<a class="font-bold underline" href="/records/reports/schedules/{schedule.id}">{schedule.name}</a>
				<span>{schedule.customer ?? 'every customer'}</span>
				<span class="quiet"
					>{rhythmWords(schedule)}, to {counted(schedule.recipients.length, 'address', 'addresses')}</span
				>
				{#if schedule.next}<span class="quiet">next <When at={new Date(schedule.next.at)} /></span>{:else}<b
						>off</b
					>{/if}
				{#if schedule.last?.state === 'failed'}<Standing
						standing="stuck"
						word="the last was not made"
					/>{:else if schedule.last && schedule.last.lost > 0}<Standing
						standing="stuck"
						word="the last did not reach {counted(schedule.last.lost, 'address', 'addresses')}"
					/>{/if}
			</li>{/each}
	</ul>
{/if}
{#if data.kept.length > 0}
	<h2 class="mt-6">Made lately</h2>
	<KeptReports reports={data.kept} label="Reports that were made" />
{/if}
