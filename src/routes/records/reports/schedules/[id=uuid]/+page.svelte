<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { FIGURES } from '$core/health';
	import { REPORT_PARTS, rhythmWords, type ReportPart } from '$core/report';
	import { Form, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { KeptReports, RhythmFields } from '$ui/reports';

	let { data, form } = $props();
	onMount(() => refreshOn(['reports']));
	const schedule = $derived(data.schedule);
	const { customer, cohort, parts, figures } = $derived(schedule.choice);
	/** What it tells, under the names that a form has for it, or an address. */
	const told = (part: string, figure: string) => [
		['customer', customer ?? ''],
		['cohort', cohort ?? ''],
		...parts.map((one) => [part, one]),
		...figures.map((one) => [figure, one])
	];
	const partWords = (part: ReportPart) =>
		part === 'figures'
			? `${REPORT_PARTS[part]} (${figures.map((figure) => FIGURES[figure].words).join(', ')})`
			: REPORT_PARTS[part];
	const look = $derived(new URLSearchParams(told('part', 'figure')));
</script>

<PageHead title={schedule.name}>
	{#snippet about()}<a href="/records/reports">Reports</a><span
			>{schedule.customer ?? 'Every customer'}, {rhythmWords(schedule)} by the clock of {schedule.zone}{#if schedule.next};
				next
				<When at={new Date(schedule.next.at)} />, about {schedule.next.from === schedule.next.to
					? schedule.next.from
					: `${schedule.next.from} to ${schedule.next.to}`}{:else if schedule.isOn}; nobody knows that zone
				any more: choose another{:else}; it is off{/if}.</span
		>{/snippet}
	{#snippet acts()}<Button href="/records/reports?{look}" size="sm" color="alternative">Look at it</Button
		>{/snippet}
</PageHead>
<FormWords {form} />
<p class="mt-3 max-w-3xl">
	It tells {parts.map(partWords).join('; ')}. It is made as {schedule.statedBy} may see it.
</p>
{#if data.maySend}
	<Form action="?/save" stays class="sheet mt-3 max-w-3xl p-4">
		{#snippet children({ busy })}
			<input type="hidden" name="id" value={schedule.id} />
			<input type="hidden" name="edit" value={schedule.edit} />
			{#each told('parts', 'figures') as [name, value] (`${name} ${value}`)}<input
					type="hidden"
					{name}
					{value}
				/>{/each}
			<RhythmFields name={schedule.name} rhythm={schedule} recipients={schedule.recipients} />
			<div class="mt-3"><Checkbox name="on" checked={schedule.isOn}>It is on</Checkbox></div>
			<Button type="submit" size="sm" class="mt-4" disabled={busy}>Change it</Button>
		{/snippet}
	</Form>
	<Form action="?/end" casual class="mt-3">
		{#snippet children({ busy })}<input type="hidden" name="schedule" value={schedule.id} /><Button
				type="submit"
				size="sm"
				color="alternative"
				disabled={busy}>Stop sending it</Button
			>{/snippet}
	</Form>
{:else}<p class="mt-2">It goes to {schedule.recipients.join(', ')}.</p>{/if}
<h2 class="mt-6">What was sent</h2>
{#if data.kept.length === 0}<p class="quiet mt-1">None yet.</p>{/if}
<KeptReports reports={data.kept} label="What was sent" />
