<script lang="ts">
	import { Kbd } from 'flowbite-svelte';
	import { page } from '$app/state';
	import { Dialog } from '../kit';
	import { helpFor } from './help';
	import type { Room } from './rooms';

	/** Help for the page that one is on: what it is for, what its words mean, and the keys. */
	let { open = $bindable(), rooms }: { open: boolean; rooms: readonly Room[] } = $props();
	const help = $derived(helpFor(page.url.pathname));
</script>

<Dialog bind:open title="Help: {help.title}" size="md">
	<p>{help.what}</p>
	<h3 class="mt-4 font-bold">Words</h3>
	<dl class="facts">
		{#each help.words as [word, meaning] (word)}
			<dt>{word}</dt>
			<dd>{meaning}</dd>
		{/each}
	</dl>
	<h3 class="mt-4 font-bold">Keys</h3>
	<dl class="facts">
		<dt><Kbd>/</Kbd></dt>
		<dd>find or scan</dd>
		<dt><Kbd>?</Kbd></dt>
		<dd>this help</dd>
		<dt><Kbd>g</Kbd> then</dt>
		<dd>
			{#each rooms as room (room.href)}<span class="mr-3 inline-block"><Kbd>{room.key}</Kbd> {room.name}</span
				>{/each}
		</dd>
		<dt><Kbd>j</Kbd> <Kbd>k</Kbd></dt>
		<dd>down and up in a list</dd>
		<dt><Kbd>x</Kbd></dt>
		<dd>choose a row</dd>
		<dt><Kbd>Enter</Kbd></dt>
		<dd>open</dd>
		<dt><Kbd>Esc</Kbd></dt>
		<dd>back out</dd>
	</dl>
	<p class="quiet">A hand scanner works anywhere outside a text field.</p>
</Dialog>
