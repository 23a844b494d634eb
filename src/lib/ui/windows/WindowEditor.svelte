<script lang="ts">
	import { untrack } from 'svelte';
	import { Button, Checkbox, Fileupload, Radio } from 'flowbite-svelte';
	import { SHORT_WEEKDAYS, windowOf, type WindowRule } from '$core/windows';
	import { act } from '../forms';
	import { DateField, Form, FormField } from '../kit';
	import NextWindows from './NextWindows.svelte';

	/** States when disruptive acts are allowed: hours of the week, days without, single occasions. */
	interface Props {
		rule: WindowRule;
		edit: number;
		/** What is stated further out, outermost first, in words and as it is. */
		further: readonly { readonly name: string; readonly rule: WindowRule }[];
		zone: string;
		/** How the zone was chosen, where several are meant. */
		zoneWords: string;
		/** The address of its actions, with the question mark. */
		action: (name: string) => string;
		mayWrite: boolean;
	}
	let { rule, edit, further, zone, zoneWords, action, mayWrite }: Props = $props();

	type Draft = {
		hours: { days: number[]; from: string; to: string }[];
		without: { day: string; words: string }[];
		once: { from: string; to: string; words: string }[];
	};
	let states = $state<'further' | 'hours'>(untrack(() => (rule.hours === null ? 'further' : 'hours')));
	let asks = $state(untrack(() => (rule.asksFirst === null ? '' : rule.asksFirst ? 'yes' : 'no')));
	let draft = $state<Draft>(
		untrack(
			() =>
				structuredClone({
					hours: [...(rule.hours ?? [])],
					without: [...rule.without],
					once: [...rule.once]
				}) as Draft
		)
	);
	const made: WindowRule = $derived({
		hours: states === 'further' ? null : draft.hours,
		without: draft.without.filter(({ day }) => day !== ''),
		once: draft.once.filter(({ from, to }) => from !== '' && to !== ''),
		asksFirst: asks === '' ? null : asks === 'yes'
	});
	const isTime = (text: string) => /^(?:[01]\d|2[0-3]):[0-5]\d$/.test(text);
	const isWhole = $derived(
		(made.hours ?? []).every(({ days, from, to }) => days.length > 0 && isTime(from) && isTime(to)) &&
			made.once.every(({ from, to }) => from < to)
	);
	const window = $derived(isWhole ? windowOf([...further.map(({ rule }) => rule), made], zone) : null);
	const statedBy = $derived(further.findLast(({ rule }) => rule.hours !== null)?.name ?? null);
	const pick = (hours: Draft['hours'][number], day: number, is: boolean) =>
		(hours.days = is ? [...hours.days, day].sort() : hours.days.filter((one) => one !== day));
</script>

{#snippet outButton(takeOut: () => void)}
	{#if mayWrite}<Button type="button" size="xs" color="alternative" onclick={takeOut}>Take out</Button>{/if}
{/snippet}
{#snippet addButton(words: string, add: () => void)}
	{#if mayWrite}<p>
			<Button type="button" size="xs" color="alternative" onclick={add}>{words}</Button>
		</p>{/if}
{/snippet}

<div class="two mt-3">
	<Form
		action={action('save')}
		stays
		class="sheet grid gap-5 p-4"
		aria-label="When disruptive acts are allowed"
	>
		<input type="hidden" name="rule" value={JSON.stringify(made)} />
		<input type="hidden" name="edit" value={edit} />
		<fieldset class="grid gap-2" disabled={!mayWrite}>
			<legend><h2>Hours of the week</h2></legend>
			<Radio name="states" value="further" bind:group={states}
				>{further.length === 0
					? 'At any time'
					: statedBy
						? `As stated for ${statedBy}`
						: 'At any time, as further out'}</Radio
			>
			<Radio name="states" value="hours" bind:group={states}>In these hours only</Radio>
			{#if states === 'hours'}
				{#each draft.hours as hours, index (hours)}
					<div class="hours" role="group" aria-label="Hours {index + 1}">
						<span class="flex flex-wrap gap-x-3 gap-y-1"
							>{#each SHORT_WEEKDAYS as day, at (day)}<Checkbox
									checked={hours.days.includes(at + 1)}
									onchange={(event) => pick(hours, at + 1, (event.currentTarget as HTMLInputElement).checked)}
									>{day}</Checkbox
								>{/each}</span
						>
						<FormField
							label="from"
							bind:value={hours.from}
							class="w-24"
							required
							maxlength={5}
							placeholder="22:00"
							problem={isTime(hours.from) ? null : 'like 22:00'}
						/>
						<FormField
							label={hours.to <= hours.from ? 'to, next day' : 'to'}
							bind:value={hours.to}
							class="w-28"
							required
							maxlength={5}
							placeholder="04:00"
							problem={isTime(hours.to) ? null : 'like 04:00'}
						/>
						{@render outButton(() => draft.hours.splice(index, 1))}
					</div>
				{/each}
				{#if draft.hours.length === 0}<p class="quiet">No hours: single occasions only.</p>{/if}
				{@render addButton('Add hours', () =>
					draft.hours.push({ days: [1, 2, 3, 4, 5], from: '22:00', to: '04:00' })
				)}
			{/if}
		</fieldset>

		<fieldset class="grid gap-2" disabled={!mayWrite}>
			<legend><h2>Days without</h2></legend>
			<p class="quiet">Holidays, stocktaking: nothing begins on them and nothing goes on into them.</p>
			{#each draft.without as one, index (one)}
				<div class="flex flex-wrap items-end gap-3" role="group" aria-label="Day {index + 1}">
					<FormField label="Day" bare kind="date" bind:value={one.day} class="w-44" required />
					<FormField label="What day it is" bare bind:value={one.words} class="grow" maxlength={120} />
					{@render outButton(() => draft.without.splice(index, 1))}
				</div>
			{/each}
			{@render addButton('Add a day', () => draft.without.push({ day: '', words: '' }))}
		</fieldset>

		<fieldset class="grid gap-2" disabled={!mayWrite}>
			<legend><h2>Single occasions</h2></legend>
			<p class="quiet">Allowed then, whatever else is stated.</p>
			{#each draft.once as one, index (one)}
				<div class="flex flex-wrap items-end gap-3" role="group" aria-label="Occasion {index + 1}">
					<DateField label="From" name="once-from-{index}" bind:value={one.from} {zone} />
					<DateField label="To" name="once-to-{index}" bind:value={one.to} {zone} />
					<FormField label="What for" bind:value={one.words} class="grow" maxlength={120} />
					{@render outButton(() => draft.once.splice(index, 1))}
				</div>
			{/each}
			{@render addButton('Add an occasion', () => draft.once.push({ from: '', to: '', words: '' }))}
		</fieldset>

		<FormField
			label="Is the contact of a site asked first?"
			kind="select"
			value={asks}
			onchange={(event) => (asks = event.currentTarget.value)}
			disabled={!mayWrite}
			class="max-w-sm"
			items={[
				{ value: '', name: further.length === 0 ? 'no' : 'as stated further out' },
				...(further.length === 0 ? [] : [{ value: 'no', name: 'no' }]),
				{ value: 'yes', name: 'yes, each time' }
			]}
		/>
		{#if mayWrite}<p>
				<Button type="submit" size="sm" disabled={!isWhole}>Keep these windows</Button>
			</p>{/if}
	</Form>
	<div class="grid gap-4">
		<section class="sheet p-4" aria-live="polite">
			<h2>Open next</h2>
			{#if window}<NextWindows {window} most={6} />{:else}<p class="quiet">
					Once the hours are complete.
				</p>{/if}
			<p class="quiet mt-2">{zoneWords}</p>
		</section>
		{#if mayWrite}
			<form
				method="POST"
				action={action('holidays')}
				enctype="multipart/form-data"
				use:act
				class="sheet grid gap-2 p-4"
			>
				<h2>Holidays from a calendar</h2>
				<p class="quiet">
					A file in the format iCalendar (.ics): its whole days are added to the days without, some years
					ahead. Look at them, then keep them.
				</p>
				<input type="hidden" name="rule" value={JSON.stringify(made)} />
				<input type="hidden" name="edit" value={edit} />
				<Fileupload name="calendar" accept=".ics,text/calendar" required aria-label="Calendar file" />
				<p><Button type="submit" size="sm" color="alternative">Read its days</Button></p>
			</form>
		{/if}
	</div>
</div>

<style>
	.two {
		--columns: minmax(0, 1.6fr) minmax(16rem, 1fr);
	}
	.hours {
		display: flex;
		flex-wrap: wrap;
		gap: 0.4rem 1rem;
		align-items: end;
		padding: 0.5rem 0;
		border-bottom: 1px solid var(--hairline);
	}
</style>
