<script lang="ts">
	import '../app.css';
	import { ThemeProvider } from 'flowbite-svelte';
	import { theme } from '$ui/kit';
	import { clock } from '$ui/marks';
	import { Shell, Threshold } from '$ui/shell';

	let { data, children } = $props();
	// A page that comes out of a phone's store brings the time at which it was made
	$effect.pre(() => {
		if (navigator.onLine) clock.sync(data.now);
	});
</script>

<ThemeProvider {theme}>
	{#if data.person}
		<Shell person={data.person} customers={data.customers} customerId={data.customerId} works={data.work}
			>{@render children()}</Shell
		>
	{:else}
		<Threshold>{@render children()}</Threshold>
	{/if}
</ThemeProvider>
