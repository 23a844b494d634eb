<script lang="ts">
	import ConfirmItIsYou, { type Confirmation } from './ConfirmItIsYou.svelte';

	/** What came of a form: what was done, why not, or the question who it is. */
	let {
		form
	}: {
		form: { problem?: string | null; said?: string | null; confirm?: Confirmation } | null | undefined;
	} = $props();
</script>

{#if form?.confirm}<ConfirmItIsYou confirmation={form.confirm} />{/if}
{#if form?.problem}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">{form.problem}</p>{/if}
{#if form?.said}<p class="mt-3 font-semibold text-[var(--pine)]" role="status">{form.said}</p>{/if}
