<script lang="ts">
	import { mayDo } from './may';

	/** The way from a thing to what was done with it; `text` finds the records that name it instead. */
	let {
		what,
		id = null,
		text = null,
		customerId = null
	}: { what: string; id?: string | null; text?: string | null; customerId?: string | null } = $props();
	const query = $derived(id ? `thing=${id}` : `text=${encodeURIComponent(text ?? '')}`);
</script>

{#if mayDo('see records', customerId)}<a href="/records?{query}">Records of {what}</a>{/if}
