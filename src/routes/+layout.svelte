<script lang="ts">
	import '../app.css';
	import { Shell, Threshold } from '$ui/shell';

	let { data, children } = $props();
</script>

{#if data.person}
	<Shell person={data.person} customers={data.customers} customerId={data.customerId}
		>{@render children()}</Shell
	>
{:else}
	<Threshold>{@render children()}</Threshold>
{/if}
