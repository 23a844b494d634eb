<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import type { Progress as HowFar } from '$core/long-work';
	import { act } from '../forms';
	import { When } from '../marks';
	import { Progress } from '../work';

	/** Exactly what many units would be told, looked at before anything is sent; `chosen`: the findings that are put right. */
	let {
		looked,
		chosen = []
	}: { looked: (HowFar & { id: string; begunAt: Date }) | null; chosen?: readonly string[] } = $props();
</script>

<form method="POST" action="?/look" use:act class="flex flex-wrap items-center gap-x-6 gap-y-2">
	{#each chosen as id (id)}<input type="hidden" name="finding" value={id} />{/each}
	<p class="grow">
		The exact commands, compared with what each unit was read to run last; units that are told the same stand
		together.
		{#if looked}<span class="block"
				><a href="/work/{looked.id}">Looked <When at={looked.begunAt} /></a>: <Progress
					work={looked}
				/></span
			>{/if}
	</p>
	<Button type="submit" size="sm" color="alternative">{looked ? 'Look again' : 'Look at the commands'}</Button
	>
</form>
