<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { shareWords } from '$core/drift';
	import { counted } from '$core/text';
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { duration, exactly, Serial, Standing } from '$ui/marks';

	let { data } = $props();
	const report = $derived(data.report);
	const apart = $derived(
		report.units.flatMap((unit) =>
			unit.standing.spans.filter(({ state }) => state !== 'as intended').map((span) => ({ unit, span }))
		)
	);
	const MOST_SHOWN = 200;
	const dayOf = (at: Date) => at.toISOString().slice(0, 10);
	const file = (kind: string) =>
		`/records/intended/file?${new URLSearchParams([...new URLSearchParams(data.query), ['as', kind]])}`;
</script>

<PageHead title="As intended">
	{#snippet state()}{#if report.share !== null}<Standing
				standing={report.share === 1 ? 'through' : 'late'}
				word="{shareWords(report.share)} of the time, {counted(report.units.length, 'unit')}"
			/>{/if}{/snippet}
	{#snippet acts()}<Button href={file('pdf')} size="sm" download data-sveltekit-reload
			>As a document (PDF)</Button
		>{/snippet}
	{#snippet more()}
		<MenuLink href={file('csv')} download>CSV</MenuLink>
		<MenuLink href={file('xlsx')} download>XLSX</MenuLink>
	{/snippet}
	{#snippet about()}<span
			>Which units ran what they should, and when one did not, by every reading of it.</span
		>{/snippet}
</PageHead>

<form method="GET" class="sheet mt-3 flex flex-wrap items-end gap-4 p-4">
	{#if data.unitId}<input type="hidden" name="unit" value={data.unitId} />{/if}
	{#if data.siteId}<input type="hidden" name="site" value={data.siteId} />{/if}
	<FormField label="From" kind="date" name="from" stored={dayOf(data.from)} />
	<FormField label="To the end of" kind="date" name="to" stored={dayOf(new Date(data.to.getTime() - 1))} />
	<Button type="submit" size="sm" color="alternative">Show</Button>
	{#if data.unitId || data.siteId}<a href="/records/intended">all units</a>{/if}
	{#if !report.isAll}<p class="quiet basis-full">
			The first {report.units.length} units; choose a customer above for the rest.
		</p>{/if}
</form>

{#if report.units.length === 0}
	<p class="sheet mt-4 p-6">
		No unit was looked at yet. Units that are online are read by their customer’s rule, and when they come
		back.
	</p>
{:else}
	<h2 class="mt-5">When one was not</h2>
	{#if apart.length === 0}<p class="sheet mt-2 p-4">
			Every unit was as intended whenever it was looked at.
		</p>{:else}
		<Table classes={{ div: 'mt-2' }}>
			<TableHead
				><TableHeadCell>Where</TableHeadCell><TableHeadCell>Unit</TableHeadCell><TableHeadCell
					>From</TableHeadCell
				><TableHeadCell>For</TableHeadCell><TableHeadCell>How it stood</TableHeadCell><TableHeadCell
					>Seen because</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each apart.slice(0, MOST_SHOWN) as { unit, span } (`${unit.unitId} ${span.from}`)}
					<TableBodyRow
						><TableBodyCell>{unit.siteName}, {unit.positionName}</TableBodyCell><TableBodyCell
							><a href="/units/{unit.unitId}/versions"><Serial serial={unit.serial} /></a></TableBodyCell
						><TableBodyCell>{exactly(new Date(span.from))}</TableBodyCell><TableBodyCell
							>{duration(span.to - span.from)}</TableBodyCell
						><TableBodyCell
							>{span.state === 'differs'
								? `differed in ${counted(span.findings, 'place')}`
								: 'could not be read'}</TableBodyCell
						><TableBodyCell class="quiet">{span.why}</TableBodyCell></TableBodyRow
					>
				{/each}
			</TableBody>
		</Table>
		{#if apart.length > MOST_SHOWN}<p class="quiet mt-1">
				The first {MOST_SHOWN} of {apart.length}; the files have all.
			</p>{/if}
	{/if}
	<h2 class="mt-5">Unit by unit</h2>
	<Table classes={{ div: 'mt-2' }}>
		<TableHead
			><TableHeadCell>Where</TableHeadCell><TableHeadCell>Unit</TableHeadCell><TableHeadCell
				>As intended</TableHeadCell
			><TableHeadCell>Times looked at</TableHeadCell></TableHead
		>
		<TableBody>
			{#each report.units.slice(0, MOST_SHOWN) as unit (unit.unitId)}
				<TableBodyRow
					><TableBodyCell>{unit.siteName}, {unit.positionName}</TableBodyCell><TableBodyCell
						><a href="?unit={unit.unitId}"><Serial serial={unit.serial} /></a></TableBodyCell
					><TableBodyCell>{shareWords(unit.standing.share)}</TableBodyCell><TableBodyCell
						>{unit.standing.looks}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
	{#if report.units.length > MOST_SHOWN}<p class="quiet mt-1">
			The first {MOST_SHOWN} of {report.units.length}; the files have all.
		</p>{/if}
{/if}
