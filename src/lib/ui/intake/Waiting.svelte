<script lang="ts">
	import { counted } from '$core/text';
	import { Serial, When } from '$ui/marks';
	import { clock, duration } from '$ui/marks';
	import Refused from './Refused.svelte';

	/** What intake still has to do: what the registries are asked for and why it waits, what they refused, rows to mend. */
	interface Props {
		waits: readonly {
			makerName: string;
			count: number;
			since: Date;
			nextAt: Date | null;
			problem: string;
		}[];
		refused: readonly {
			id: string;
			serial: string;
			modelName: string;
			customerName: string;
			words: string;
		}[];
		open: readonly {
			id: string;
			customerName: string;
			takenAt: Date;
			takenBy: string;
			open: number;
		}[];
	}
	let { waits, refused, open }: Props = $props();
</script>

{#if waits.length > 0}
	<h2 class="mt-6">Asked of the makers</h2>
	<ul class="sheet list mt-2" aria-label="Asked of the makers">
		{#each waits as wait (wait.makerName)}
			<li>
				<b>{wait.count}</b> with {wait.makerName}’s registry, since <When at={wait.since} />
				{#if wait.problem}<span class="block"
						>{wait.problem}
						{#if wait.nextAt && wait.nextAt.getTime() > clock.now}It is asked again in {duration(
								wait.nextAt.getTime() - clock.now
							)}. Nothing is lost; units can be bound meanwhile.{/if}</span
					>{/if}
			</li>
		{/each}
	</ul>
{/if}
{#if refused.length > 0}
	<h2 class="mt-6">Refused by the makers</h2>
	<ul class="sheet list mt-2" aria-label="Refused by the makers">
		{#each refused as unit (unit.id)}
			<li>
				<a href="/units/{unit.id}"><Serial serial={unit.serial} /></a>
				<span class="quiet">{unit.modelName}, {unit.customerName}</span>
				<span class="block text-[var(--brick)]">{unit.words}</span>
				<Refused unitId={unit.id} serial={unit.serial} />
			</li>
		{/each}
	</ul>
{/if}
{#if open.length > 0}
	<h2 class="mt-6">Rows to mend</h2>
	<ul class="sheet list mt-2" aria-label="Rows to mend">
		{#each open as batch (batch.id)}
			<li>
				<a href="/intake/{batch.id}">{counted(batch.open, 'row')}</a> for {batch.customerName},
				<span class="quiet">taken in by {batch.takenBy}, <When at={batch.takenAt} /></span>
			</li>
		{/each}
	</ul>
{/if}

<style>
	.list a {
		text-decoration: underline;
	}
</style>
