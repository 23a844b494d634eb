<script lang="ts">
	import { FormField, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import {
		Button,
		Checkbox,
		Fileupload,
		Label,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { goto } from '$app/navigation';
	import { momentOf } from '$ui/marks';
	import { FormWords } from '$ui/people';
	import { Differences, SiteOutlook } from '$ui/plan';

	let { data, form } = $props();
	const compared = $derived(form && 'compared' in form ? form.compared : null);
	const stamped = $derived(form && 'stamped' in form ? form.stamped : null);
	const shown = $derived(compared ?? stamped);
	let working = $state(false);

	const VERDICTS = {
		wrong: 'wrong',
		new: 'new',
		differs: 'stands, differs',
		same: 'stands as it is'
	} as const;
	const ORDER = ['wrong', 'differs', 'new', 'same'] as const;
	const count = (verdict: keyof typeof VERDICTS) =>
		shown?.rows.filter((row) => row.verdict === verdict).length ?? 0;
	const rows = $derived(
		shown
			? [...shown.rows].sort(
					(one, other) => ORDER.indexOf(one.verdict) - ORDER.indexOf(other.verdict) || one.line - other.line
				)
			: []
	);
	const MOST_SHOWN = 300;
	const toDo = $derived(compared ? compared.created + compared.changed : 0);
	const local = (at: number | null, zone: string) => (at === null ? '' : momentOf(at, zone));
	const busy = () => {
		working = true;
		return async ({ update }: { update: (options: { reset: boolean }) => Promise<void> }) => {
			await update({ reset: false });
			working = false;
		};
	};
</script>

<PageHead title="Stamp sites">
	{#snippet acts()}<Button href="/sites/patterns" size="sm" color="alternative">Patterns</Button>{/snippet}
</PageHead>
<FormWords {form} />
{#if !data.chosen}
	<p class="sheet mt-4 p-6">
		Sites are stamped from a pattern, and there is none yet. <a href="/sites/patterns/new">Make a pattern</a>
	</p>
{:else}
	<form
		method="POST"
		action="?/compare&pattern={data.chosen.id}"
		enctype="multipart/form-data"
		use:act={busy}
		class="sheet mt-3 p-4"
	>
		<div class="flex flex-wrap items-end gap-5">
			<FormField
				label="Pattern"
				kind="select"
				class="w-80"
				name="pattern"
				stored={data.chosen.id}
				onchange={({ currentTarget }) => void goto(`?pattern=${currentTarget.value}`)}
				>{#each data.patterns as pattern (pattern.id)}<option value={pattern.id}
						>{pattern.name}{data.customerId ? '' : `, ${pattern.customerName}`}</option
					>{/each}</FormField
			>
			<span class="quiet pb-2">{data.chosen.positions.join(', ')}</span>
			<span class="ml-auto flex gap-4 pb-2"
				><a href="/sites/stamp/file?pattern={data.chosen.id}&as=xlsx" download>Sheet to fill, XLSX</a>
				<a href="/sites/stamp/file?pattern={data.chosen.id}&as=csv" download>CSV</a></span
			>
		</div>
		<div class="mt-3 grid gap-5 md:grid-cols-[18rem_minmax(0,1fr)]">
			<div>
				<Label for="list">A list of sites: CSV, XLSX or GeoJSON</Label>
				<Fileupload id="list" name="file" accept=".csv,.xlsx,.geojson,.json,text/csv" />
			</div>
			<FormField
				label="or pasted, with its headings"
				kind="lines"
				mono
				name="text"
				rows={3}
				placeholder="site, street, locality, contact, appointment"
				spellcheck="false"
			/>
		</div>
		<details class="mt-2">
			<summary class="cursor-pointer">Columns it can have, in any order</summary>
			<p class="quiet mt-1">
				{data.facts.join(', ')}, appointment (such as 2026-12-01 09:30, in the site’s time), technician{data
					.columns.length > 0
					? '; and values: '
					: ''}<span class="mono">{data.columns.join(', ')}</span>. Only “site” must be there.
			</p>
		</details>
		<div class="mt-3 flex flex-wrap items-center gap-6">
			<Checkbox name="allot" checked>give each its addresses from the pools</Checkbox>
			<Checkbox name="also">also change sites that stand already</Checkbox>
			<Button type="submit" size="sm" disabled={working}>{working ? 'Comparing …' : 'Compare'}</Button>
		</div>
	</form>
{/if}

{#if shown}
	<section class="mt-5" aria-label={stamped ? 'What was stamped' : 'What stamping would do'}>
		<h2>
			{#if stamped}{counted(stamped.created, 'site is', 'sites are')} stamped{stamped.changed > 0
					? `, ${stamped.changed} changed`
					: ''}{stamped.allotted > 0 ? `; ${stamped.allotted} values came from pools` : ''}
			{:else}{shown.created} new, {count('differs')} that stand and differ, {count('same')} as they are,
				{count('wrong')} wrong{/if}
		</h2>
		{#if stamped}<p class="mt-1">
				<a href="/sites?sort=newest">See the sites</a>{#if data.columns.length > 0}, or go on with their
					<a href="/values">values</a>{/if}.
			</p>{/if}
		{#if compared?.remark}<p class="mt-1">{compared.remark}</p>{/if}
		{#if shown.unknown.length > 0}
			<p class="mt-1 text-[var(--brick)]" role="alert">
				Not understood, and passed over: {shown.unknown
					.map(({ heading, meant }) => `“${heading}”${meant ? ` (perhaps “${meant}”?)` : ''}`)
					.join(', ')}.
			</p>
		{/if}
		{#if compared}
			<form method="POST" action="?/stamp&pattern={data.chosen?.id}" use:act={busy} class="mt-3">
				<input type="hidden" name="pattern" value={compared.patternId} />
				<input type="hidden" name="cells" value={JSON.stringify(compared.cells)} />
				<input type="hidden" name="seal" value={compared.seal} />
				{#if compared.also}<input type="hidden" name="also" value="on" />{/if}
				{#if compared.allot}<input type="hidden" name="allot" value="on" />{/if}
				<div class="flex flex-wrap items-center gap-4">
					<Button type="submit" size="sm" disabled={toDo === 0 || working}
						>{#if working}Stamping …{:else}Stamp {counted(compared.created, 'site')}{compared.changed > 0
								? ` and change ${compared.changed}`
								: ''}{/if}</Button
					>
					<span class="quiet"
						>{#if compared.allotted > 0}Pools give {compared.allotted} values.{/if}
						{#if count('wrong') > 0}Lines that are wrong are left out; mend them and load the list again.{/if}
						{#if !compared.also && count('differs') > 0}Sites that stand are left as they are.{/if}</span
					>
				</div>
			</form>
		{/if}

		<Table classes={{ div: 'mt-3' }}>
			<TableHead
				><TableHeadCell>Line</TableHeadCell><TableHeadCell>Site</TableHeadCell><TableHeadCell
					>What comes of it</TableHeadCell
				><TableHeadCell>Place</TableHeadCell><TableHeadCell>Appointment, site’s time</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each rows.slice(0, MOST_SHOWN) as row (row.line)}
					<TableBodyRow data-verdict={row.verdict}>
						<TableBodyCell class="quiet">{row.line}</TableBodyCell>
						<TableBodyCell
							>{#if row.siteId}<a href="/sites/{row.siteId}">{row.name}</a>{:else}{row.name ||
									'no name'}{/if}</TableBodyCell
						>
						<TableBodyCell>
							{#if row.verdict === 'wrong'}<ul class="text-[var(--brick)]">
									{#each row.problems as problem, index (index)}<li>{problem}</li>{/each}
								</ul>
							{:else}{VERDICTS[row.verdict]}
								{#if row.outlook}<SiteOutlook outlook={row.outlook} />{/if}
								{@const rehearsal = compared?.rehearsals[row.name]}
								{#if rehearsal && !row.outlook?.missing.some( ({ words }) => rehearsal.words.endsWith(words) )}<p
										class:text-[var(--brick)]={!rehearsal.isClean}
									>
										Rehearsed: {rehearsal.words}
									</p>{/if}
								{#if row.differences.length > 0}<Differences differences={row.differences} />{/if}{/if}
						</TableBodyCell>
						<TableBodyCell>{row.place}</TableBodyCell>
						<TableBodyCell>{local(row.appointmentAt, row.timeZone)}</TableBodyCell>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>

		{#if rows.length > MOST_SHOWN}<p class="quiet mt-1">And {rows.length - MOST_SHOWN} more lines.</p>{/if}
	</section>
{/if}
