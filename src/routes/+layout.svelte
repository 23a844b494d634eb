<script lang="ts">
	import '../app.css';
	import { page } from '$app/state';
	import { ConfirmItIsYou } from '$ui/people';
	import { Shell, Threshold } from '$ui/shell';

	let { data, children } = $props();
</script>

{#if data.person}
	<Shell person={data.person} customers={data.customers} customerId={data.customerId}
		>{@render children()}</Shell
	>
	{#if page.form?.confirm}<ConfirmItIsYou confirmation={page.form.confirm} />{/if}
{:else}
	<Threshold>{@render children()}</Threshold>
{/if}
