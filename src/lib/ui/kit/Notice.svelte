<script lang="ts">
	import type { Snippet } from 'svelte';
	import { Alert } from 'flowbite-svelte';
	import CheckCircleOutline from 'flowbite-svelte-icons/CheckCircleOutline.svelte';
	import CloseCircleOutline from 'flowbite-svelte-icons/CloseCircleOutline.svelte';
	import ExclamationCircleOutline from 'flowbite-svelte-icons/ExclamationCircleOutline.svelte';

	/** A sentence that must be seen: what was done, what to look out for, what went wrong. */
	interface Props {
		kind: 'done' | 'careful' | 'wrong';
		class?: string;
		children: Snippet;
	}
	let { kind, class: className = '', children }: Props = $props();
	const COLOURS = { done: 'var(--pine)', careful: 'var(--amber)', wrong: 'var(--brick)' };
	const Icon = $derived(
		{ done: CheckCircleOutline, careful: ExclamationCircleOutline, wrong: CloseCircleOutline }[kind]
	);
</script>

<Alert
	role={kind === 'wrong' ? 'alert' : 'status'}
	class="mt-3 {className}"
	style="border-left-color: {COLOURS[kind]}"
	params={{ duration: 0 }}
>
	{#snippet icon()}<span style:color={COLOURS[kind]}><Icon class="h-5 w-5" /></span>{/snippet}
	{@render children()}
</Alert>
