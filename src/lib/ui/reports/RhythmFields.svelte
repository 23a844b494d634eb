<script lang="ts">
	import { untrack } from 'svelte';
	import { EVERY, WEEKDAYS, type Every, type Rhythm } from '$core/report';
	import { FormField } from '../kit';

	/** When a report is sent, and to whom. */
	interface Props {
		name?: string;
		rhythm: Rhythm;
		recipients?: readonly string[];
	}
	let { name = '', rhythm, recipients = [] }: Props = $props();
	const zones = Intl.supportedValuesOf('timeZone');
	let every = $state<Every>(untrack(() => rhythm.every));
</script>

<FormField label="Name" name="name" stored={name} maxlength={120} required />
<div class="mt-3 flex flex-wrap items-end gap-3">
	<FormField
		label="How often"
		kind="select"
		name="every"
		bind:value={every}
		items={Object.entries(EVERY).map(([value, words]) => ({ value, name: words }))}
	/>
	<div hidden={every !== 'week'}>
		<FormField
			label="On"
			kind="select"
			name="weekday"
			stored={rhythm.every === 'week' ? String(rhythm.onDay) : '1'}
			items={WEEKDAYS.map((words, at) => ({ value: String(at + 1), name: words }))}
		/>
	</div>
	<div hidden={every !== 'month'}>
		<FormField
			label="On day"
			kind="select"
			name="monthDay"
			stored={rhythm.every === 'month' ? String(rhythm.onDay) : '1'}
			items={Array.from({ length: 28 }, (_, at) => ({ value: String(at + 1), name: String(at + 1) }))}
		/>
	</div>
	<FormField
		label="At"
		kind="select"
		name="hour"
		stored={String(rhythm.hour)}
		items={Array.from({ length: 24 }, (_, at) => ({
			value: String(at),
			name: `${String(at).padStart(2, '0')}:00`
		}))}
	/>
	<FormField label="By the clock of" name="zone" list="report-zones" stored={rhythm.zone} required />
	<datalist id="report-zones"
		>{#each ['UTC', ...zones] as one (one)}<option value={one}></option>{/each}</datalist
	>
</div>
<FormField
	label="To"
	kind="lines"
	name="recipients"
	stored={recipients.join('\n')}
	hint="E-mail addresses, one on a line. Each gets the report as PDF, and its figures as XLSX."
	class="mt-3"
	required
/>
