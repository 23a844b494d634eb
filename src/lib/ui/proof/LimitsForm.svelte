<script lang="ts">
	import { Button, Checkbox } from 'flowbite-svelte';
	import { CHECK_KINDS, LIMIT_FIGURES, USUAL_LIMITS, type CheckKind, type GivenLimits } from '$core/proof';
	import { Form, FormField } from '../kit';

	/** What proofs check, and how strictly. */
	let { limits, mayWrite }: { limits: GivenLimits; mayWrite: boolean } = $props();
	const kinds = Object.entries(CHECK_KINDS) as [CheckKind, (typeof CHECK_KINDS)[CheckKind]][];
</script>

<Form action="?/save" stays class="sheet mt-3 max-w-3xl p-4">
	{#snippet children({ busy })}
		<fieldset>
			<legend class="font-semibold">What is checked</legend>
			<div class="mt-2 grid gap-2 sm:grid-cols-2">
				{#each kinds as [kind, { title }] (kind)}<Checkbox
						name="on"
						value={kind}
						checked={!limits.off?.includes(kind)}
						disabled={!mayWrite}>{title}</Checkbox
					>{/each}
			</div>
		</fieldset>
		<div class="mt-4 grid gap-4 sm:grid-cols-2">
			{#each LIMIT_FIGURES as { name, words, unit } (name)}<FormField
					label={unit ? `${words} (${unit})` : words}
					{name}
					stored={limits[name] === undefined ? '' : String(limits[name])}
					placeholder={String(USUAL_LIMITS[name])}
					inputmode="decimal"
					maxlength={10}
					disabled={!mayWrite}
					autocomplete="off"
				/>{/each}
		</div>
		{#if mayWrite}<Button type="submit" size="sm" class="mt-4" disabled={busy}>Save</Button>{/if}
	{/snippet}
</Form>
