<script lang="ts">
	import { rowsIn, toMendIn, type BatchCounts } from '$core/intake';
	import { When } from '$ui/marks';
	import { RecordsOf } from '$ui/people';

	/** The batches that were taken in last. */
	interface Props {
		batches: readonly {
			readonly id: string;
			readonly customerId: string;
			readonly customerName: string;
			readonly takenAt: Date;
			readonly counts: BatchCounts;
		}[];
	}
	let { batches }: Props = $props();
</script>

<h2>Lately</h2>
{#if batches.length === 0}<p class="quiet mt-2">Nothing was taken in yet. Paste a list on the left.</p>{/if}
<ul class="sheet lately mt-2">
	{#each batches as batch (batch.id)}
		<li>
			<span>{batch.customerName}</span><span
				><b>{batch.counts.claimed}</b> of {rowsIn(batch.counts)} claimed{#if toMendIn(batch.counts) > 0},
					<a href="/intake/{batch.id}" class="bad underline">{toMendIn(batch.counts)} to mend</a>{/if}</span
			><span class="quiet"><When at={batch.takenAt} /></span><span class="flex gap-4"
				><a href="/intake/{batch.id}">Rows</a>
				<RecordsOf what="it" id={batch.id} customerId={batch.customerId} /></span
			>
		</li>
	{/each}
</ul>

<style>
	.bad {
		color: var(--brick);
	}
	.lately li {
		display: grid;
		grid-template-columns: minmax(0, 1.5fr) minmax(0, 1.5fr) minmax(0, 1fr) auto;
		gap: 0.2rem 1rem;
	}
	.lately:empty {
		display: none;
	}
	@media (max-width: 600px) {
		.lately li {
			grid-template-columns: minmax(0, 1fr) auto;
		}
	}
</style>
