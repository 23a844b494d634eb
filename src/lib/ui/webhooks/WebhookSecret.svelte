<script lang="ts">
	import { Clipboard } from 'flowbite-svelte';

	/** The secret of a webhook, where the form has just made one. */
	let { form }: { form: object | null | undefined } = $props();
	const secret = $derived(form && 'secret' in form && form.secret ? String(form.secret) : null);
</script>

{#if secret}<p class="sheet mt-3 flex flex-wrap items-center gap-3 p-4">
		<span class="mono break-all" data-secret>{secret}</span>
		<Clipboard value={secret} size="xs" color="alternative"
			>{#snippet children(success)}{success ? 'Copied' : 'Copy'}{/snippet}</Clipboard
		>
		<span class="quiet">By this the receiver knows that it was Limen who told it.</span>
	</p>{/if}
