<script lang="ts">
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { needsMending, rowsIn, VERDICT_WORDS, type ShownVerdict } from '$core/intake';
	import { MARKS, Refused } from '$ui/intake';
	import { refreshOn } from '$ui/live';
	import { Serial, When } from '$ui/marks';
	import { FormWords, RecordsOf } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['units'], { rest: 600 }));
	const batch = $derived(data.batch);
	const asked = $derived(batch.counts.asked);
	const done = $derived(batch.counts.claimed);
	const total = $derived(rowsIn(batch.counts));
	const present = $derived(Object.entries(batch.counts).filter(([, count]) => count > 0));
</script>

<svelte:head><title>A batch · Limen</title></svelte:head>
<div class="flex flex-wrap items-baseline gap-5">
	<h1>Batch for {batch.customerName}</h1>
	<span class="quiet"
		>{counted(total, 'row')}{batch.takenBy ? `, taken in by ${batch.takenBy}` : ''}, <When
			at={batch.takenAt}
		/></span
	>
	<a href="/intake/{batch.id}/file" download>CSV</a>
	<a href="/intake/{batch.id}/file?as=xlsx" download>XLSX</a>
	<RecordsOf what="it" id={batch.id} customerId={batch.customerId} />
</div>
<FormWords {form} />
<p class="mt-2" aria-live="polite">
	{#each present as [verdict, count], index (verdict)}{index > 0 ? ', ' : ''}<b>{count}</b>
		{VERDICT_WORDS[verdict as ShownVerdict]}{/each}
</p>
{#if asked > 0}
	<label class="mt-2 block max-w-xl"
		><span class="quiet">The makers have confirmed {done} of {done + asked}</span>
		<progress max={done + asked} value={done} class="mt-1 block w-full"></progress></label
	>
{/if}
<div class="sheet mt-3 overflow-auto">
	<table class="work-table">
		<thead><tr><th>Line</th><th>Serial number</th><th>What came of it</th></tr></thead>
		<tbody>
			{#each batch.lines as line (`${line.ordinal} ${line.unitId}`)}
				<tr data-verdict={line.verdict}>
					<td class="quiet">{line.line}</td>
					<td
						>{#if line.unitId}<a href="/units/{line.unitId}"><Serial serial={line.serial} /></a>{:else}<Serial
								serial={line.serial.slice(0, 24)}
							/>{/if}</td
					>
					<td>
						<span class="font-semibold" class:text-[var(--brick)]={needsMending(line.verdict)}
							>{MARKS[line.verdict]} {VERDICT_WORDS[line.verdict]}</span
						>
						{#if line.place}<span class="quiet ml-2">at {line.place}</span>{/if}
						{#if line.reason}<div>{line.reason}</div>{/if}
						{#if line.raw !== null && line.ordinal !== null}
							<form method="POST" action="?/mend" use:enhance class="mt-1 flex flex-wrap items-center gap-2">
								<input type="hidden" name="row" value={line.ordinal} />
								<input
									name="text"
									class="field mono !mt-0 !w-[34rem] !py-1"
									value={line.raw}
									aria-label="Row of line {line.line}"
									autocomplete="off"
									spellcheck="false"
								/>
								<Button type="submit" size="xs" color="alternative">Take it in</Button>
								<Button type="submit" size="xs" color="alternative" formaction="?/drop">Drop it</Button>
							</form>
						{:else if line.verdict === 'registry-refused' && data.mayMend}
							<Refused unitId={line.unitId!} serial={line.serial} />
						{/if}
					</td>
				</tr>
			{/each}
		</tbody>
	</table>
</div>
{#if total > batch.lines.length}<p class="quiet mt-1">
		The first {batch.lines.length} are shown, what needs you first.
	</p>{/if}
