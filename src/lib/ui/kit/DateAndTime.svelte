<script lang="ts">
	import { Datepicker, Input } from 'flowbite-svelte';

	/**
	 * A day from a calendar and a time beside it, as one field: `2026-12-01 09:30`, in the time zone that is
	 * named with it. Empty when neither is chosen.
	 */
	interface Props {
		id: string;
		name?: string | undefined;
		value?: string | undefined;
		zone?: string | undefined;
		required?: boolean;
		disabled?: boolean;
		'aria-invalid'?: 'true' | undefined;
		'aria-describedby'?: string | undefined;
		[other: string]: unknown;
	}
	let { id, name, value = $bindable(), zone, required = false, disabled = false, ...rest }: Props = $props();

	/** A day without an hour in it; noon, so that no time zone makes another day of it. */
	const dayOf = (text: string): Date | undefined => {
		const [, year, month, day] = /^(\d{4})-(\d{2})-(\d{2})/.exec(text) ?? [];
		return year ? new Date(Number(year), Number(month) - 1, Number(day), 12) : undefined;
	};
	const two = (number: number) => String(number).padStart(2, '0');
	const written = (day: Date) => `${day.getFullYear()}-${two(day.getMonth() + 1)}-${two(day.getDate())}`;
	const time = $derived(/\d{2}:\d{2}/.exec(value ?? '')?.[0] ?? '');
	const give = (day: Date | undefined, hour: string) =>
		(value = day ? `${written(day)} ${hour || '09:00'}` : '');
</script>

<input type="hidden" {name} value={value ?? ''} />
<div class="flex gap-2" role="group" aria-label="Date and time">
	<div class="grow">
		<Datepicker
			value={dayOf(value ?? '')}
			locale="en-GB"
			firstDayOfWeek={1}
			dateFormat={{ weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' }}
			placeholder="Choose a day"
			{required}
			{disabled}
			onselect={(day) => day instanceof Date && give(day, time)}
			inputProps={{
				...rest,
				id,
				oninput: ({ currentTarget }) => {
					if (currentTarget.value.trim() === '') give(undefined, '');
				}
			}}
		/>
	</div>
	<Input
		type="time"
		class="!w-32"
		value={time}
		disabled={disabled || !value}
		aria-label="Time{zone ? `, ${zone}` : ''}"
		onchange={(event: Event & { currentTarget: HTMLInputElement }) =>
			give(dayOf(value ?? ''), event.currentTarget.value)}
	/>
</div>
