<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { STANCE_WORDS, STANCES, type Stance } from '$core/stance';
	import { act } from '../forms';
	import { FormField } from '../kit';

	/** Says what becomes of what drifted: at a customer, a site, or a unit. */
	interface Props {
		own: Stance | null;
		/** What counts without a word of its own. */
		further: Stance;
		action: string;
		/** Nothing is stated further out than here. */
		isOutermost?: boolean;
		label?: string;
	}
	let { own, further, action, isOutermost = false, label = 'What becomes of what drifts' }: Props = $props();
</script>

<form method="POST" {action} use:act class="flex flex-wrap items-end gap-3">
	<FormField
		{label}
		kind="select"
		name="stance"
		stored={own ?? ''}
		class="min-w-64"
		items={[
			{ value: '', name: isOutermost ? `as usual (${further})` : `as stated further out (${further})` },
			...STANCES.map((value) => ({ value, name: STANCE_WORDS[value] }))
		]}
	/>
	<Button type="submit" size="sm" color="alternative">Keep it so</Button>
</form>
