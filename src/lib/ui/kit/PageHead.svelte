<script lang="ts">
	import type { Snippet } from 'svelte';
	import { tabTitle } from '../live';
	import Menu from './Menu.svelte';

	/** The head of every page: its title with its state, at most three acts, the rest in a menu, and its facts. */
	interface Props {
		title: string;
		/** The title as it is drawn, where it is more than words. */
		name?: Snippet;
		/** Its state, beside the title. */
		state?: Snippet;
		/** At most three; the main one is filled. */
		acts?: Snippet;
		/** The other acts, as items of a menu. */
		more?: Snippet;
		/** Of which kind it is, in a few words below the title. */
		about?: Snippet;
	}
	let { title, name, state, acts, more, about }: Props = $props();
</script>

<svelte:head><title>{tabTitle(title)}</title></svelte:head>
<header class="flex flex-wrap items-center gap-x-4 gap-y-2">
	<h1>
		{#if name}{@render name()}{:else}{title}{/if}
	</h1>
	{@render state?.()}
	{#if acts || more}<span class="ml-auto flex flex-wrap items-center gap-2"
			>{@render acts?.()}{#if more}<Menu label="More">{@render more()}</Menu>{/if}</span
		>{/if}
</header>
{#if about}<div class="quiet mt-0.5 flex flex-wrap gap-x-4">{@render about()}</div>{/if}
