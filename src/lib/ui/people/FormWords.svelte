<script lang="ts">
	import { act } from '$ui/forms';
	import { Notice } from '$ui/kit';
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
{#if form?.problem}<Notice kind="wrong">{form.problem}</Notice>{/if}
{#if form?.said}
	<Notice kind="done"
		><span class="flex flex-wrap items-baseline gap-x-4"
			><span class="font-semibold">{form.said}</span>
			{#if form.undo}<form method="POST" action="?/unbind" use:act>
					<input type="hidden" name="position" value={form.undo} />
					<button class="link">Undo</button>
				</form>{/if}</span
		></Notice
	>
	{#each form.warnings ?? [] as warning (warning)}<Notice kind="careful"
			>{warning} If that is wrong, undo it before it has power.</Notice
		>{/each}
{/if}
