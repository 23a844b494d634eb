<script lang="ts">
	import '../app.css';
	import { beforeNavigate } from '$app/navigation';
	import { page } from '$app/state';
	import { ThemeProvider } from 'flowbite-svelte';
	import { theme } from '$ui/kit';
	import { pageAskedFor } from '$ui/live';
	import { clock } from '$ui/marks';
	import { Shell, Threshold } from '$ui/shell';

	let { data, children } = $props();
	beforeNavigate(pageAskedFor);
	// A page that comes out of a phone's store brings the time at which it was made
	$effect.pre(() => {
		if (navigator.onLine) clock.sync(data.now);
	});
</script>

<ThemeProvider {theme}>
	{#if page.route.id?.startsWith('/wall/') && page.status === 200}
		{@render children()}
	{:else if data.person}
		<Shell person={data.person} customers={data.customers} customerId={data.customerId} works={data.work}
			>{@render children()}</Shell
		>
	{:else}
		<Threshold>{@render children()}</Threshold>
	{/if}
</ThemeProvider>
