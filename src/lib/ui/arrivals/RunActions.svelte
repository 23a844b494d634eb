<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { mayDo } from '../people';

	/** What can be done about a bound unit's run, for whoever may. The actions are the page's own. */
	let {
		arrival
	}: { arrival: { readonly outcome: string; readonly positionId: string; readonly customerId: string } } =
		$props();
</script>

<div class="flex gap-2">
	{#if (arrival.outcome === 'failed' || arrival.outcome === 'through') && mayDo('retry', arrival.customerId)}
		<form method="POST" action="?/retry&position={arrival.positionId}" use:enhance>
			<input type="hidden" name="position" value={arrival.positionId} /><Button
				type="submit"
				size="sm"
				color={arrival.outcome === 'failed' ? 'primary' : 'alternative'}
				>{arrival.outcome === 'failed' ? 'Let it try again' : 'Let it begin anew'}</Button
			>
		</form>
	{/if}
	{#if mayDo('unbind', arrival.customerId)}
		<form method="POST" action="?/unbind&position={arrival.positionId}" use:enhance>
			<input type="hidden" name="position" value={arrival.positionId} /><Button
				type="submit"
				size="sm"
				color="alternative">Unbind</Button
			>
		</form>
	{/if}
</div>
