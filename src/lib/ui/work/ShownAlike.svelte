<script lang="ts">
	import { counted } from '$core/text';
	import { ConfigText } from '../config';

	/** Things of which long work shows the same, with it. */
	interface Group {
		readonly shown: string;
		readonly words: string;
		readonly count: number;
		readonly things: readonly { readonly subject: string; readonly unitId: string | null }[];
	}
	let { group }: { group: Group } = $props();
	const title = $derived(`${counted(group.count, 'unit')}: ${group.words}`);
	const FEW = 6;
	let isWhole = $state(false);
	const named = $derived(isWhole ? group.things : group.things.slice(0, FEW));
	const rest = $derived(group.count - named.length);
</script>

<section class="mt-4" data-alike={group.count}>
	<h2 class="text-base">{title}</h2>
	<p>
		{#each named as { subject, unitId }, at (at)}{at > 0 ? '; ' : ''}{#if unitId}<a href="/units/{unitId}"
					>{subject}</a
				>{:else}{subject}{/if}{/each}{#if rest > 0}{#if isWhole}; and {rest} more{:else}; <button
					type="button"
					class="underline"
					onclick={() => (isWhole = true)}>and {rest} more</button
				>{/if}{/if}.
	</p>
	<ConfigText text={group.shown} label={title} />
</section>
