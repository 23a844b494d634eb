<script lang="ts">
	import { enhance } from '$app/forms';
	import ConfirmItIsYou, { type Confirmation } from './ConfirmItIsYou.svelte';

	/** What came of a form: what was done and how to undo it, what speaks against it, why not, or the question who it is. */
	let {
		form
	}: {
		form:
			| {
					problem?: string | null;
					said?: string | null;
					confirm?: Confirmation;
					warnings?: readonly string[];
					/** The position whose new binding can be undone. */
					undo?: string;
			  }
			| null
			| undefined;
	} = $props();
</script>

{#if form?.confirm}<ConfirmItIsYou confirmation={form.confirm} />{/if}
{#if form?.problem}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">{form.problem}</p>{/if}
{#if form?.said}
	<div class="mt-3 flex flex-wrap items-baseline gap-x-4">
		<p class="font-semibold text-[var(--pine)]" role="status">{form.said}</p>
		{#if form.undo}<form method="POST" action="?/unbind" use:enhance>
				<input type="hidden" name="position" value={form.undo} />
				<button class="link">Undo</button>
			</form>{/if}
	</div>
	{#each form.warnings ?? [] as warning (warning)}<p class="font-semibold text-[var(--amber)]" role="alert">
			{warning} If that is wrong, undo it before it has power.
		</p>{/each}
{/if}
