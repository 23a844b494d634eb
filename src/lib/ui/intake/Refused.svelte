<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';

	/** What can be done about a unit that its maker's registry refused. The page has the actions `again` and `drop`. */
	let { unitId, serial }: { unitId: string; serial: string } = $props();
</script>

<form method="POST" action="?/again" use:enhance class="mt-1 flex flex-wrap items-center gap-2">
	<input type="hidden" name="unit" value={unitId} />
	<input
		name="code"
		class="field mono !mt-0 !w-48 !py-1"
		placeholder="claim code"
		aria-label="Claim code of {serial}"
		required
		autocomplete="off"
		spellcheck="false"
	/>
	<Button type="submit" size="xs" color="alternative">Ask again</Button>
	<Button type="submit" size="xs" color="alternative" formaction="?/drop" formnovalidate>Drop it</Button>
</form>
