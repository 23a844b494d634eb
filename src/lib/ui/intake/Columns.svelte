<script lang="ts">
	import { FormField } from '$ui/kit';
	import { MEANING_WORDS, MEANINGS, type ColumnsRead, type Meaning } from '$core/intake';

	/** How the columns of a list are read, to be looked at and corrected before anything is taken in. */
	interface Props {
		read: ColumnsRead;
		/** What somebody said of each column, when it is other than what was found. */
		chosen: (Meaning | null)[] | null;
	}
	let { read, chosen = $bindable() }: Props = $props();
	const { columns, above, supplier } = $derived(read);

	const meanings = $derived(chosen ?? columns.map(({ meaning }) => meaning));
	function choose(index: number, meaning: Meaning | null) {
		chosen = meanings.map((one, at) => (at === index ? meaning : one === meaning ? null : one));
	}
</script>

<section class="mt-3" aria-label="Columns">
	<p class="quiet">
		{#if supplier}As {supplier}’s lists were read before.{:else}This is how it will be read. Correct what is
			wrong.{/if}
		{#if above > 1}The first {above} rows are headings.{/if}
	</p>
	{#if !meanings.includes('serial')}<p class="font-semibold text-[var(--brick)]" role="alert">
			Say which column holds the serial numbers.
		</p>{/if}
	<ol class="columns mt-1">
		{#each columns as column, index (index)}
			<li class:used={meanings[index] !== null}>
				<FormField
					label="Column {index + 1}{column.heading ? `, ${column.heading}` : ''}"
					bare
					kind="select"
					class="py-0.5"
					value={meanings[index] ?? ''}
					onchange={({ currentTarget }) => choose(index, (currentTarget.value || null) as Meaning | null)}
				>
					<option value="">not needed</option>
					{#each MEANINGS as meaning (meaning)}<option value={meaning}>{MEANING_WORDS[meaning]}</option
						>{/each}
				</FormField>
				{#if column.heading}<span class="heading" title={column.heading}>{column.heading}</span>{/if}
				{#each column.samples.slice(0, 2) as sample (sample)}<span class="mono sample" title={sample}
						>{sample}</span
					>{/each}
			</li>
		{/each}
	</ol>
</section>

<style>
	.columns {
		display: flex;
		gap: 0.5rem;
		overflow-x: auto;
		padding-bottom: 0.4rem;
	}
	li {
		flex: 0 0 10.5rem;
		display: flex;
		flex-direction: column;
		gap: 0.15rem;
		padding: 0.4rem;
		border: 1px solid var(--hairline);
		border-radius: 6px;
	}
	li:not(.used) .sample {
		color: var(--quiet);
	}
	.used {
		border-color: var(--pine);
	}
	.heading {
		font-weight: 600;
	}
	.heading,
	.sample {
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
		font-size: 0.85rem;
	}
</style>
