<script lang="ts">
	/** What came of a form: what was done, or why not. */
	let { form }: { form: { problem?: string | null; said?: string | null } | null | undefined } = $props();
</script>

{#if form?.problem}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">{form.problem}</p>{/if}
{#if form?.said}<p class="mt-3 font-semibold text-[var(--pine)]" role="status">{form.said}</p>{/if}
