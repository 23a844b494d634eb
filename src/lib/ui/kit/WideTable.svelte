<!-- A table that is wider than a phone and has nothing in it to step to: it is scrolled by the keyboard as one. -->
<script lang="ts">
	import { Table } from 'flowbite-svelte';
	import type { Snippet } from 'svelte';

	let { label, least = '', children }: { label: string; least?: string; children: Snippet } = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label={label}>
	<Table class={least} classes={{ div: 'max-lg:overflow-visible' }}>{@render children()}</Table>
</div>
