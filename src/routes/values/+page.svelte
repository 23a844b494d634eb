<script lang="ts">
	import { FormField, MenuLink, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import { SvelteMap } from 'svelte/reactivity';
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
	import { loadAnew, wantedQuery } from '$ui/live';
	import { beforeNavigate, goto } from '$app/navigation';
	import { page } from '$app/state';
	import { FormWords } from '$ui/people';
	import { cellKey, Sheet, type SheetCellProblem, type SheetRow } from '$ui/sheet';

	let { data, form } = $props();

	let rows = $state.raw<readonly SheetRow[]>(untrack(() => data.rows));
	const edits = new SvelteMap<string, string>();
	let sheet: Sheet | undefined = $state();
	let loading = 0;

	/** The rest of the rows, a piece at a time, while one works on the first. */
	async function load(): Promise<void> {
		const mine = ++loading;
		rows = data.rows;
		const query = new URLSearchParams(page.url.searchParams);
		if (data.choice) query.set('profile', data.choice.profileId);
		while (rows.length < data.size) {
			query.set('offset', String(rows.length));
			const answer = await fetch(`/values/rows?${query}`);
			const more = answer.ok ? ((await answer.json()) as SheetRow[]) : [];
			if (mine !== loading || more.length === 0) return;
			rows = [...rows, ...more];
		}
	}
	onMount(() => () => loading++);
	$effect(() => {
		void data.rows;
		untrack(() => void load());
	});

	const changes = $derived.by(() => {
		const wanted = [];
		const left = new Set(edits.keys());
		for (const row of rows) {
			if (left.size === 0) break;
			for (const [index, column] of data.columns.entries()) {
				const key = cellKey(row, column);
				if (!left.delete(key)) continue;
				wanted.push({
					positionId: row.positionId,
					field: column.field.name,
					target: column.target,
					was: row.cells[index] ?? '',
					now: edits.get(key)!,
					place: `${row.site} ${row.position}`
				});
			}
		}
		return wanted;
	});
	beforeNavigate(({ cancel, willUnload, to }) => {
		if (edits.size === 0 || to?.url.pathname.startsWith('/values/file')) return;
		if (willUnload || !confirm('What you typed here is not saved. Leave it?')) cancel();
		else edits.clear();
	});

	function choose(name: string, value: string | null) {
		const query = wantedQuery();
		query.delete('position');
		query.delete('field');
		if (value === null) query.delete(name);
		else query.set(name, value);
		void goto(`?${query}`, { noScroll: true });
	}
	const query = $derived.by(() => {
		const made = new URLSearchParams(page.url.searchParams);
		if (data.choice) made.set('profile', data.choice.profileId);
		return made.toString();
	});
	const wrong = $derived((form && 'cells' in form ? form.cells : []) as readonly SheetCellProblem[]);
	const list = $derived(form && 'list' in form ? (form.list as readonly string[]) : []);
	interface Compared {
		readonly changes: readonly {
			positionId: string;
			field: string;
			was: string;
			now: string;
			place: string;
		}[];
		readonly problems: readonly string[];
		readonly missing: readonly string[];
		readonly remark: string | null;
	}
	const compared = $derived(form && 'compared' in form ? (form.compared as Compared) : null);
	const MOST_SHOWN = 300;
	async function saved() {
		edits.clear();
		await loadAnew('limen:values');
	}
</script>

<PageHead title="Values">
	{#snippet acts()}<Button href="/addresses" size="sm" color="alternative">Addresses</Button>{/snippet}
	{#snippet more()}
		<MenuLink href="/values/file?{query}&as=csv" download>Download as CSV</MenuLink>
		<MenuLink href="/values/file?{query}&as=xlsx" download>Download as XLSX</MenuLink>
	{/snippet}
	{#snippet about()}<span
			>{counted(data.size, 'position')}; prepared by site and position, before any unit is known</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-3 flex flex-wrap items-end gap-4">
	<FormField
		label="Profile"
		kind="select"
		stored={data.choice?.profileId ?? ''}
		onchange={({ currentTarget }) => choose('profile', currentTarget.value)}
	>
		{#each data.profiles as profile (profile.id)}<option value={profile.id}>{profile.name}</option>{/each}
	</FormField>
	<FormField
		label="Given at"
		kind="select"
		stored={data.choice?.at ?? ''}
		onchange={({ currentTarget }) => choose('at', currentTarget.value || null)}
	>
		<option value="">where each is expected</option>
		<option value="customer">the customer</option>
		<option value="site">the site</option>
		<option value="position">the position</option>
	</FormField>
	<FormField
		label="Site or position has"
		kind="search"
		class="w-48"
		stored={data.choice?.match ?? ''}
		onchange={({ currentTarget }) => choose('match', currentTarget.value.trim() || null)}
		autocomplete="off"
	/>
	<Checkbox
		checked={data.choice?.all ?? false}
		onchange={({ currentTarget }) => choose('all', currentTarget.checked ? '1' : null)}
		classes={{ div: 'pb-2' }}>every field</Checkbox
	>
	{#if data.choice?.draft || data.columns.some(({ isNew }) => isNew)}<Checkbox
			checked={data.choice?.draft ?? false}
			onchange={({ currentTarget }) => choose('draft', currentTarget.checked ? '1' : null)}
			classes={{ div: 'pb-2' }}>new fields of the draft</Checkbox
		>{/if}
	{#if data.choice?.positionId}<a class="pb-2" href="?profile={data.choice.profileId}"
			>All positions of this profile</a
		>{/if}
	<span class="ml-auto flex flex-wrap items-end gap-4">
		{#if data.mayWrite}<form
				method="POST"
				action="?/compare&{query}"
				enctype="multipart/form-data"
				use:act={() =>
					({ update }) =>
						update({ reset: true, invalidateAll: false })}
				class="flex flex-wrap items-end gap-2"
			>
				<Label class="grid gap-1"
					>Filled sheet<Fileupload name="file" accept=".csv,.xlsx,text/csv" required class="w-64" /></Label
				>
				<Button type="submit" size="xs" color="alternative" class="whitespace-nowrap"
					>See what it would change</Button
				>
			</form>{/if}
	</span>
</div>
{#if compared}
	<section class="sheet mt-3 p-4" aria-label="What the file would change">
		<h2>
			{compared.changes.length === 0
				? 'The file changes nothing'
				: `The file would change ${counted(compared.changes.length, 'value')}`}
		</h2>
		{#if compared.remark}<p class="mt-1">{compared.remark}</p>{/if}
		{#if compared.problems.length > 0}<ul class="mt-2 list-disc pl-5 text-[var(--brick)]" role="alert">
				{#each compared.problems.slice(0, 20) as problem, index (index)}<li>{problem}</li>{/each}
				{#if compared.problems.length > 20}<li>And {compared.problems.length - 20} more.</li>{/if}
			</ul>{/if}
		{#if compared.missing.length > 0}<p class="quiet mt-1">
				Not in the file, and left as they are: {compared.missing.join(', ')}.
			</p>{/if}
		{#if compared.changes.length > 0}
			<div class="mt-2 max-h-72 overflow-auto">
				<Table>
					<TableHead
						><TableHeadCell>Where</TableHeadCell><TableHeadCell>Field</TableHeadCell><TableHeadCell
							>Is</TableHeadCell
						><TableHeadCell>Would be</TableHeadCell></TableHead
					>
					<TableBody>
						{#each compared.changes.slice(0, MOST_SHOWN) as change, index (index)}<TableBodyRow
								><TableBodyCell>{change.place}</TableBodyCell><TableBodyCell class="mono"
									>{change.field}</TableBodyCell
								><TableBodyCell class="mono quiet">{change.was || 'nothing'}</TableBodyCell><TableBodyCell
									class="mono">{change.now || 'nothing'}</TableBodyCell
								></TableBodyRow
							>{/each}
					</TableBody>
				</Table>
			</div>
			{#if compared.changes.length > MOST_SHOWN}<p class="quiet">
					And {compared.changes.length - MOST_SHOWN} more.
				</p>{/if}
			<form
				method="POST"
				action="?/save&{query}"
				class="mt-3"
				use:act={() =>
					async ({ result, update }) => {
						await update();
						if (result.type === 'success') await saved();
					}}
			>
				<input type="hidden" name="changes" value={JSON.stringify(compared.changes)} />
				<Button type="submit" size="sm" disabled={compared.problems.length > 0}
					>Save {counted(compared.changes.length, 'value')}</Button
				>
				{#if compared.problems.length > 0}<span class="quiet ml-2"
						>Mend the file first: nothing is half saved.</span
					>{/if}
			</form>
		{/if}
	</section>
{/if}
{#if list.length > 0}<ul class="mt-2 list-disc pl-5 text-[var(--brick)]" aria-label="What is wrong">
		{#each list.slice(0, 20) as problem, index (index)}<li>{problem}</li>{/each}
		{#if list.length > 20}<li>And {list.length - 20} more.</li>{/if}
	</ul>{/if}
{#if data.columns.length === 0 || data.size === 0}
	<p class="sheet mt-4 p-6">
		{data.profiles.length === 0
			? 'There are no profiles yet, so nothing asks for values.'
			: data.size === 0
				? 'No position follows this profile here.'
				: 'This profile asks for nothing per site or position.'}
	</p>
{:else}
	{#if data.mayWrite}<div class="mt-3 flex flex-wrap items-center gap-2">
			<form
				method="POST"
				action="?/save&{query}"
				use:act={() =>
					async ({ result, update }) => {
						await update({ reset: false, invalidateAll: false });
						if (result.type === 'success') await saved();
					}}
			>
				<input type="hidden" name="changes" value={JSON.stringify(changes)} />
				<Button type="submit" size="sm" disabled={edits.size === 0}
					>{edits.size === 0 ? 'Save' : `Save ${counted(edits.size, 'value')}`}</Button
				>
			</form>
			<Button size="xs" color="alternative" onclick={() => sheet?.fillDown()}>Fill down</Button>
			<Button size="xs" color="alternative" onclick={() => sheet?.series()}>Fill the series</Button>
			<Button size="xs" color="alternative" onclick={() => sheet?.undo()}>Undo</Button>
			<Button size="xs" color="alternative" onclick={() => sheet?.redo()}>Do again</Button>
			<span class="quiet"
				>Arrows move, Shift chooses, typing replaces, Enter opens. Ctrl with C, V, D, Z, Y; Ctrl+Shift+D fills
				the series.</span
			>
		</div>{/if}
	<div class="mt-2">
		{#key query}
			<Sheet
				bind:this={sheet}
				columns={data.columns}
				{rows}
				size={data.size}
				mayWrite={data.mayWrite}
				{wrong}
				focusField={data.field}
				{edits}
			/>
		{/key}
	</div>
{/if}
