<script lang="ts">
	import type { Snippet } from 'svelte';
	import { act } from '../forms';

	/** An act of a menu: a small form of its own. */
	interface Props {
		action: string;
		/** What goes with it; a list gives its field more than once. */
		fields?: Readonly<Record<string, string | readonly string[]>>;
		/** It opens beside the page: paper to print. */
		beside?: boolean;
		/** It leaves the page altogether. */
		plain?: boolean;
		children: Snippet;
	}
	let { action, fields = {}, beside = false, plain = false, children }: Props = $props();
	const pairs = $derived(
		Object.entries(fields).flatMap(([name, value]) => [value].flat().map((one) => [name, one] as const))
	);
</script>

{#snippet inside()}
	{#each pairs as [name, value], index (index)}<input type="hidden" {name} {value} />{/each}
	<button class="menu-item">{@render children()}</button>
{/snippet}

<li>
	{#if beside || plain}<form method="POST" {action} target={beside ? '_blank' : undefined}>
			{@render inside()}
		</form>
	{:else}<form method="POST" {action} use:act>{@render inside()}</form>{/if}
</li>
