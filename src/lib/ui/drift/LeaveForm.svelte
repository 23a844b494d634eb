<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { act } from '../forms';
	import { FormField } from '../kit';

	/** Leaves findings as they are until a day, for a reason. */
	let { action, ids }: { action: string; ids: readonly string[] } = $props();
</script>

<form method="POST" {action} use:act class="flex flex-wrap items-end gap-3">
	{#each ids as id (id)}<input type="hidden" name="finding" value={id} />{/each}
	<FormField label="Until" kind="date" name="until" required />
	<FormField
		label="Why it may stay"
		name="why"
		required
		maxlength={500}
		class="min-w-64 grow"
		autocomplete="off"
	/>
	<Button type="submit" size="sm" color="alternative">Leave it for now</Button>
</form>
