<script lang="ts">
	import { FormField } from '$ui/kit';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';

	/** What can be done about a unit that its maker's registry refused. The page has the actions `again` and `drop`. */
	let { unitId, serial }: { unitId: string; serial: string } = $props();
</script>

<form method="POST" action="?/again" use:act class="mt-1 flex flex-wrap items-center gap-2">
	<input type="hidden" name="unit" value={unitId} />
	<FormField
		label="Claim code of {serial}"
		bare
		mono
		class="w-48"
		name="code"
		placeholder="claim code"
		required
		autocomplete="off"
		spellcheck="false"
	/>
	<Button type="submit" size="xs" color="alternative">Ask again</Button>
	<Button type="submit" size="xs" color="alternative" formaction="?/drop" formnovalidate>Drop it</Button>
</form>
