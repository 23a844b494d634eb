<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount } from 'svelte';
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { needsMending, rowsIn, VERDICT_WORDS, type ShownVerdict } from '$core/intake';
	import { MARKS, Refused } from '$ui/intake';
	import { refreshOn } from '$ui/live';
	import { outcomeWords, type Outcome } from '$core/watch';
	import { ExpectedEnd } from '$ui/arrivals';
	import { Serial, Standing, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { Progress } from '$ui/work';

	let { data, form } = $props();
	onMount(() => refreshOn(['units', 'runs', 'work'], { rest: 600 }));
	const batch = $derived(data.batch);
	const asked = $derived(batch.counts.asked);
	const done = $derived(batch.counts.claimed);
	const total = $derived(rowsIn(batch.counts));
	const present = $derived(Object.entries(batch.counts).filter(([, count]) => count > 0));
	const listOf = ({ standing, step }: Outcome) =>
		`/units?${new URLSearchParams({ batch: batch.id, standing, ...(step && { step }) })}`;
</script>

<PageHead title="Batch for {batch.customerName}">
	{#snippet more()}
		<MenuLink href="/intake/{batch.id}/file" download>Download as CSV</MenuLink>
		<MenuLink href="/intake/{batch.id}/file?as=xlsx" download>Download as XLSX</MenuLink>
		{#if mayDo('see records', batch.customerId)}<MenuLink href="/records?thing={batch.id}"
				>Records of this batch</MenuLink
			>{/if}
	{/snippet}
	{#snippet about()}<span
			>{counted(total, 'row')}{batch.takenBy ? `, taken in by ${batch.takenBy}` : ''}, <When
				at={batch.takenAt}
			/></span
		>{/snippet}
</PageHead>
<FormWords {form} />
<p class="mt-2" aria-live="polite">
	{#each present as [verdict, count], index (verdict)}{index > 0 ? ', ' : ''}<b>{count}</b>
		{VERDICT_WORDS[verdict as ShownVerdict]}{/each}
</p>
{#if data.outcomes.some(({ standing }) => standing !== 'free')}
	<h2 class="mt-4">What became of them</h2>
	<ul class="mt-1 flex flex-wrap items-baseline gap-x-5 gap-y-1" aria-label="What became of them">
		{#each data.outcomes as one (`${one.standing} ${one.step}`)}<li>
				<a href={listOf(one)}
					><Standing
						standing={one.standing === 'free' ? 'open' : one.standing}
						word="{one.count} {outcomeWords(one)}"
					/></a
				>
			</li>{/each}
		<li><a href="/units/file?batch={batch.id}" download>as a file</a></li>
		{#if data.ends}<li>
				<ExpectedEnd ends={data.ends} from={null} />
			</li>{/if}
	</ul>
{/if}
{#if data.binding}
	<p class="mt-2">
		<a href="/work/{data.binding.id}">{data.binding.title}</a>: <Progress work={data.binding} />
	</p>
{/if}
{#if asked > 0}
	<label class="mt-2 block max-w-xl"
		><span class="quiet">The makers have confirmed {done} of {done + asked}</span>
		<progress max={done + asked} value={done} class="mt-1 block w-full"></progress></label
	>
{/if}

<Table classes={{ div: 'mt-3' }}>
	<TableHead
		><TableHeadCell>Line</TableHeadCell><TableHeadCell>Serial number</TableHeadCell><TableHeadCell
			>What came of it</TableHeadCell
		></TableHead
	>
	<TableBody>
		{#each batch.lines as line (`${line.ordinal} ${line.unitId}`)}
			<TableBodyRow data-verdict={line.verdict}>
				<TableBodyCell class="quiet">{line.line}</TableBodyCell>
				<TableBodyCell
					>{#if line.unitId}<a href="/units/{line.unitId}"><Serial serial={line.serial} /></a>{:else}<Serial
							serial={line.serial.slice(0, 24)}
						/>{/if}</TableBodyCell
				>
				<TableBodyCell>
					<span class="font-semibold" class:text-[var(--brick)]={needsMending(line.verdict)}
						>{MARKS[line.verdict]} {VERDICT_WORDS[line.verdict]}</span
					>
					{#if line.place}<span class="quiet ml-2">at {line.place}</span>{/if}
					{#if line.reason}<div>{line.reason}</div>{/if}
					{#if line.raw !== null && line.ordinal !== null}
						<form method="POST" action="?/mend" use:act class="mt-1 flex flex-wrap items-center gap-2">
							<input type="hidden" name="row" value={line.ordinal} />
							<FormField
								label="Row of line {line.line}"
								bare
								mono
								class="w-[34rem]"
								name="text"
								stored={line.raw}
								autocomplete="off"
								spellcheck="false"
							/>
							<Button type="submit" size="xs" color="alternative">Take it in</Button>
							<Button type="submit" size="xs" color="alternative" formaction="?/drop">Drop it</Button>
						</form>
					{:else if line.verdict === 'registry-refused' && data.mayMend}
						<Refused unitId={line.unitId!} serial={line.serial} />
					{/if}
				</TableBodyCell>
			</TableBodyRow>
		{/each}
	</TableBody>
</Table>

{#if total > batch.lines.length}<p class="quiet mt-1">
		The first {batch.lines.length} are shown, what needs you first.
	</p>{/if}
