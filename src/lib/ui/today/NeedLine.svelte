<script lang="ts">
	import type { Snippet } from 'svelte';
	import type { HTMLLiAttributes } from 'svelte/elements';
	import { clock, duration, Standing, When, type Shown } from '../marks';

	/** One thing that needs a person: what it is, since when, why, and where somebody goes on with it. */
	interface Props extends Omit<HTMLLiAttributes, 'title'> {
		standing: Shown;
		word: string;
		href: string;
		/** What stands out in it. */
		name: string | Snippet;
		/** When it began. */
		since?: Date | number | string | null | undefined;
		/** It is told for how long it has been so, not since when. */
		lasts?: boolean;
		words?: string;
		/** Stands in place of words. */
		children?: Snippet;
		/** What can be done at once; or where it is decided. */
		acts?: Snippet;
		next?: { readonly href: string; readonly words: string };
		[data: `data-${string}`]: string;
	}
	let {
		standing,
		word,
		href,
		name,
		since = null,
		lasts = false,
		words = '',
		children,
		acts,
		next,
		...rest
	}: Props = $props();
</script>

<li {...rest}>
	<div class="what">
		<p class="flex flex-wrap items-center gap-x-3">
			<Standing {standing} {word} />
			<a class="font-bold" {href}
				>{#if typeof name === 'string'}{name}{:else}{@render name()}{/if}</a
			>
			{#if since !== null}<span class="quiet"
					>{#if lasts}for {duration(clock.now - new Date(since).getTime())}{:else}since <When
							at={since}
						/>{/if}</span
				>{/if}
		</p>
		{#if children}{@render children()}{:else if words}<p class="mt-0.5">{words}</p>{/if}
	</div>
	{#if acts}<div class="do">{@render acts()}</div>{:else if next}<p class="do">
			<a href={next.href}>{next.words}</a>
		</p>{/if}
</li>
