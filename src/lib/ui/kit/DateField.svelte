<script lang="ts">
	import DateAndTime from './DateAndTime.svelte';
	import FormField from './FormField.svelte';

	/** A field for a day and a time, in a time zone that its hint or label names. */
	interface Props {
		label: string;
		name: string;
		value?: string | undefined;
		zone?: string;
		hint?: string;
		bare?: boolean;
		class?: string;
	}
	let { value = $bindable(), zone, ...rest }: Props = $props();
</script>

<FormField {...rest}>
	{#snippet control(attributes)}<DateAndTime {...attributes} {zone} bind:value />{/snippet}
</FormField>
