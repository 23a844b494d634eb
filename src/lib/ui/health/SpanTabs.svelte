<script lang="ts">
	import { Button } from 'flowbite-svelte';
	import { SPANS, type Span, type SpanName } from '$core/health';
	import { exactly } from '$core/text';
	import { page } from '$app/state';

	/** Over which span one looks back: a name, or what was chosen by dragging. */
	interface Props {
		span: Span & { readonly name: SpanName | null };
		zone: string;
		hasTable?: boolean;
	}
	let { span, zone, hasTable = true }: Props = $props();
	const withSpan = (name: string): string => {
		const query = new URLSearchParams(page.url.searchParams);
		query.delete('from');
		query.delete('to');
		query.set('span', name);
		return `?${query}`;
	};
	const withTable = (shown: boolean): string => {
		const query = new URLSearchParams(page.url.searchParams);
		if (shown) query.set('as', 'table');
		else query.delete('as');
		return `?${query}`;
	};
	const isTable = $derived(page.url.searchParams.get('as') === 'table');
</script>

<div class="mt-3 flex flex-wrap items-center gap-x-5 gap-y-2">
	<nav aria-label="Over which time" class="flex flex-wrap gap-x-4">
		{#each Object.entries(SPANS) as [name, { words }] (name)}<a
				href={withSpan(name)}
				data-sveltekit-noscroll
				aria-current={span.name === name ? 'true' : undefined}>{words}</a
			>{/each}
	</nav>
	{#if span.name === null}<span
			>{exactly(new Date(span.from), zone)} to {exactly(new Date(span.to), zone)}
			<Button href={withSpan('week')} size="xs" color="alternative">Look from further away</Button></span
		>{/if}
	{#if hasTable}<span class="ml-auto flex gap-4"
			><a href={withTable(!isTable)} data-sveltekit-noscroll>{isTable ? 'As charts' : 'As a table'}</a>
		</span>{/if}
</div>
