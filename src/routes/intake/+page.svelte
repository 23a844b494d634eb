<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import {
		Button,
		Fileupload,
		Label,
		Select,
		Table,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell,
		Textarea
	} from 'flowbite-svelte';
	import { act, askAction } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { Serial, When } from '$ui/marks';
	import { mayDo, RecordsOf } from '$ui/people';
	import {
		isBad,
		labelAsRow,
		LARGEST_FILE,
		rowsIn,
		toMendIn,
		VERDICT_WORDS as WORDS,
		type BatchCounts,
		type ShownVerdict,
		type ColumnsRead,
		type Meaning,
		type Verdict
	} from '$core/intake';
	import { ScanLabel } from '$ui/scan';
	import { Columns, MARKS, Waiting } from '$ui/intake';

	let { data, form } = $props();
	/** A long batch is confirmed in portions, many a second. */
	const REST_MS = 600;
	onMount(() => refreshOn(['units'], { rest: REST_MS }));

	let text = $state(untrack(() => data.start));
	let customer = $state(untrack(() => data.customerId ?? ''));
	let working = $state(false);
	/** The batch whose bad rows stand in the text: they are settled when it comes again. */
	const mending = $derived(
		form && 'outcome' in form && form.outcome && text !== '' ? form.outcome.batchId : ''
	);
	const lines = $derived(text.split(/\r\n|\r|\n/).filter((line) => line.trim() !== '').length);

	let supplier = $state('');
	let file = $state.raw<File | null>(null);
	const tooLarge = $derived(file !== null && file.size > LARGEST_FILE);
	let columns = $state.raw<ColumnsRead | null>(null);
	let chosen = $state.raw<(Meaning | null)[] | null>(null);
	let listSaidOf: string | File | null = null;
	/** What the reader is told of the columns: nothing where it finds them out by itself in the same way. */
	const said = $derived(
		columns && (chosen ?? (columns.supplier ? columns.columns.map(({ meaning }) => meaning) : null))
	);
	/** Only the beginning of a long list is looked at, and only once somebody has stopped typing. */
	const LOOKED_AT = 40_000;
	const PAUSE_MS = 250;
	$effect(() => {
		// Two lists at once have no columns in common
		const wanted = file ? (text.trim() === '' && !tooLarge ? file : null) : text;
		const [forCustomer, from] = [customer, supplier];
		// What was said of a list's columns holds as long as it is the same list
		if (wanted !== listSaidOf) chosen = null;
		listSaidOf = wanted;
		if (wanted === null || wanted === '') return void (columns = null);
		let left = false;
		const timer = setTimeout(async () => {
			const body = new FormData();
			body.set('customer', forCustomer);
			body.set('supplier', from);
			if (typeof wanted === 'string') body.set('text', wanted.slice(0, LOOKED_AT));
			else body.set('file', wanted);
			const answer = await askAction('?/columns', body);
			if (left) return;
			columns = answer?.type === 'success' ? ((answer.data?.read ?? null) as ColumnsRead | null) : null;
			if (columns?.supplier && from === '') supplier = columns.supplier;
		}, PAUSE_MS);
		return () => {
			left = true;
			clearTimeout(timer);
		};
	});

	/** How far the makers are with the batch that was just taken in: asked for anew whenever something changed. */
	interface Progress {
		readonly counts: BatchCounts;
		readonly waiting: readonly string[];
	}
	let progress = $state.raw<Progress | null>(null);
	const taken = $derived(form && 'outcome' in form ? (form.outcome?.batchId ?? null) : null);
	$effect(() => {
		void data.waits;
		if (taken === null) return void (progress = null);
		let left = false;
		void fetch(`/intake/${taken}/progress`)
			.then((answer) => (answer.ok ? answer.json() : null))
			.catch(() => null)
			.then((found: Progress | null) => {
				if (!left && found) progress = found;
			});
		return () => void (left = true);
	});
	const asked = $derived(new Set(progress?.waiting ?? []));
	const refused = $derived(new Map(data.refused.map(({ id, words }) => [id, words])));
	/** What came of a row by now: the makers' registries answer after it was taken in. */
	function standing(row: { verdict: Verdict; reason: string; unitId: string | null }) {
		const words = row.unitId === null ? undefined : refused.get(row.unitId);
		const verdict: ShownVerdict =
			words !== undefined ? 'registry-refused' : row.unitId && asked.has(row.unitId) ? 'asked' : row.verdict;
		return { verdict, reason: words ?? row.reason, wrong: words !== undefined || isBad(row.verdict) };
	}

	/** What needs somebody first. */
	const inOrder = <Row extends Parameters<typeof standing>[0]>(rows: readonly Row[]): readonly Row[] => {
		const wrong = new Set(rows.filter((row) => standing(row).wrong));
		return [...wrong, ...rows.filter((row) => !wrong.has(row))];
	};

	function repair(raw: string, wrong: string, right: string) {
		const at =
			raw.toUpperCase().replace(/[\s-]/g, '') === wrong
				? raw
				: (raw.match(
						new RegExp([...wrong].map((c) => c.replace(/[^0-9A-Z]/g, '\\$&')).join('[ -]?'), 'i')
					)?.[0] ?? wrong);
		text = text
			.split('\n')
			.map((line) => (line === raw ? line.replace(at, right) : line))
			.join('\n');
	}
	/** One key takes the first repair that is offered. */
	function fixFirst(event: KeyboardEvent) {
		const target = event.target as HTMLElement | null;
		if (event.key !== 'f' || event.ctrlKey || event.metaKey || event.altKey) return;
		if (target?.closest('input, textarea, select')) return;
		const outcome = form && 'outcome' in form ? form.outcome : null;
		const row = outcome?.rows.find((one) => one.repairs.length > 0 && text.includes(one.raw));
		if (row) repair(row.raw, row.serial, row.repairs[0]!);
	}
</script>

<svelte:window onkeydown={fixFirst} />
<PageHead title="Intake">
	{#snippet acts()}
		{#if mayDo('bind')}<Button href="/intake/rules" size="sm" color="alternative">Rules for new units</Button
			>{/if}
		<Button href="/units" size="sm" color="alternative">All units</Button>
	{/snippet}
</PageHead>
<div class="two mt-3">
	<form
		class="sheet p-4"
		method="POST"
		action="?/claim"
		enctype="multipart/form-data"
		use:act={({ formElement }) => {
			working = true;
			return async ({ update, result }) => {
				await update({ reset: false });
				working = false;
				if (result.type !== 'success') return;
				if (typeof result.data?.text === 'string') text = result.data.text;
				// What came of the file is beside; the file itself is done with
				const chosenFile = formElement.elements.namedItem('file');
				if (chosenFile instanceof HTMLInputElement) chosenFile.value = '';
				file = null;
			};
		}}
	>
		<input type="hidden" name="batch" value={mending} />
		<Label for="customer">For</Label>
		<Select
			id="customer"
			name="customer"
			bind:value={customer}
			items={data.customers.map(({ id, name }) => ({ value: id, name }))}
			placeholder="Choose the customer"
			class="mt-1"
		/>
		<Label for="text" class="mt-4">Units, one a line: serial number, MAC address, claim code</Label>
		<Textarea
			id="text"
			name="text"
			rows={8}
			bind:value={text}
			class="mono mt-1 w-full"
			placeholder="Paste from a delivery note, an e-mail or a sheet. With or without headings, in any order. A column of sites and positions, or of profiles, binds on the way in."
			spellcheck="false"
		/>
		<div class="mt-2">
			<ScanLabel
				models={data.models}
				several
				words="Photos of labels"
				onread={(labels) => {
					const rows = labels.map(labelAsRow).filter((row) => !text.includes(row));
					text = [text.trimEnd(), ...rows].filter(Boolean).join('\n');
				}}
			/>
		</div>
		<Label for="file" class="mt-3">or a CSV or XLSX file</Label>
		<Fileupload
			id="file"
			name="file"
			accept=".csv,.txt,.xlsx,text/csv,text/plain"
			class="mt-1"
			onchange={({ currentTarget }) => (file = currentTarget.files?.[0] ?? null)}
		/>
		{#if tooLarge}<p class="mt-2 font-semibold text-[var(--brick)]" role="alert">
				“{file?.name}” has {Math.ceil((file?.size ?? 0) / 1e6)} MB; a list of units has {LARGEST_FILE / 1e6} at
				most. Nothing was sent. Choose another file, or none.
			</p>{/if}
		{#if columns}
			<Columns read={columns} bind:chosen />
			<FormField
				label="Supplier"
				class="mt-2 block max-w-md"
				name="supplier"
				list="suppliers"
				bind:value={supplier}
				maxlength={120}
				placeholder="whose lists are read so from now on"
				autocomplete="off"
			/>
			<datalist id="suppliers"
				>{#each data.suppliers as name (name)}<option value={name}></option>{/each}</datalist
			>
			<input type="hidden" name="columns" value={said?.map((meaning) => meaning ?? '').join(',') ?? ''} />
		{/if}
		<div class="mt-4 flex items-center gap-4">
			<Button type="submit" disabled={working || tooLarge}
				>{working ? 'Claiming …' : lines === 0 ? 'Claim units' : `Claim ${counted(lines, 'line')}`}</Button
			>
			<span class="quiet">Good rows go in, bad ones stay here.</span>
		</div>
		{#if form && 'said' in form}<p class="mt-3" role="status">{form.said}</p>{/if}
		{#if form?.problem}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">{form.problem}</p>{/if}
	</form>

	<section aria-live="polite">
		{#if form && 'outcome' in form && form.outcome}
			{@const { given, bound, held, unbound, remark } = form.outcome}
			{@const counts = progress?.counts ?? form.outcome.counts}
			{@const rows = inOrder(form.outcome.rows)}
			{@const firstToFix = rows.find((one) => one.repairs.length > 0 && text.includes(one.raw))}
			{@const total = rowsIn(counts)}
			{@const toMend = toMendIn(counts)}
			<div class="flex flex-wrap items-baseline justify-between gap-3">
				<h2>
					{counts.claimed} of {total} claimed{#if counts.asked > 0}, {counts.asked} asked of the makers{/if}{#if counts['already-ours'] + counts.repeated > 0},
						{counts['already-ours'] + counts.repeated} there already{/if}{#if toMend > 0},
						<span class="text-[var(--brick)]">{toMend} to mend</span>{/if}{#if bound > 0}, {bound} bound{/if}{#if held > 0},
						{held} to approve{/if}{#if unbound > 0},
						<span class="text-[var(--brick)]">{unbound} not bound</span>{/if}
				</h2>
				<span class="flex gap-4"
					><a href="/intake/{form.outcome.batchId}">This batch</a>
					<a href="/intake/{form.outcome.batchId}/file" download>CSV</a>
					<a href="/intake/{form.outcome.batchId}/file?as=xlsx" download>XLSX</a></span
				>
			</div>
			{#if counts.asked > 0}<label class="mt-1 block"
					><span class="sr-only">Confirmed by the makers</span><progress
						max={counts.asked + counts.claimed + counts['registry-refused']}
						value={counts.claimed + counts['registry-refused']}
						class="block w-full"
					></progress></label
				>{/if}
			{#if remark}<p class="mt-1">{remark}</p>{/if}
			{#if form.outcome.above.length > 0}<p class="quiet mt-1">
					Read as {form.outcome.above.length === 1 ? 'headings' : 'what stands above the units'}: {form.outcome.above.join(
						' / '
					)}
				</p>{/if}
			{#if form.outcome.passedOver.length > 0}<p class="quiet mt-1">
					Not read as units: {form.outcome.passedOver.join(' / ')}
				</p>{/if}

			<Table classes={{ div: 'mt-2' }}>
				<TableHead
					><TableHeadCell>Line</TableHeadCell><TableHeadCell>Serial number</TableHeadCell><TableHeadCell
						>Outcome</TableHeadCell
					></TableHead
				>
				<TableBody>
					{#each rows as row, index (index)}
						{@const now = standing(row)}
						<TableBodyRow data-verdict={now.verdict}>
							<TableBodyCell class="quiet">{row.line}</TableBodyCell>
							<TableBodyCell
								>{#if row.unitId}<a href="/units/{row.unitId}"><Serial serial={row.serial} /></a
									>{:else}<Serial serial={row.serial.slice(0, 24)} />{/if}{#if row.modelName}<div
										class="quiet text-sm"
									>
										{row.modelName}
									</div>{/if}</TableBodyCell
							>
							<TableBodyCell>
								<span class:bad={now.wrong} class="font-semibold"
									>{MARKS[now.verdict]} {WORDS[now.verdict]}</span
								>
								{#if now.reason}<div>{now.reason}</div>{/if}
								{#if row.bound}<div class:bad={row.bound.ok === false}>{row.bound.words}</div>{/if}
								{#each row.repairs as right (right)}
									<div class="mt-1">
										<button type="button" class="link" onclick={() => repair(row.raw, row.serial, right)}
											>Use <Serial serial={right} /></button
										>{#if row === firstToFix && right === row.repairs[0]}
											<span class="quiet ms-2">or press <kbd>f</kbd></span>{/if}
									</div>
								{/each}
							</TableBodyCell>
						</TableBodyRow>
					{/each}
				</TableBody>
			</Table>

			{#if given > rows.length}<p class="quiet mt-1">
					The first {rows.length} are shown, what is to mend first.
				</p>{/if}
		{:else}
			<h2>Lately</h2>
			{#if data.batches.length === 0}<p class="quiet mt-2">
					Nothing was taken in yet. Paste a list on the left.
				</p>{/if}
			<ul class="sheet lately mt-2">
				{#each data.batches as batch (batch.id)}
					<li>
						<span>{batch.customerName}</span><span
							><b>{batch.counts.claimed}</b> of {rowsIn(batch.counts)} claimed{#if toMendIn(batch.counts) > 0},
								<a href="/intake/{batch.id}" class="bad underline">{toMendIn(batch.counts)} to mend</a
								>{/if}</span
						><span class="quiet"><When at={batch.takenAt} /></span><span class="flex gap-4"
							><a href="/intake/{batch.id}">Rows</a>
							<RecordsOf what="it" id={batch.id} customerId={batch.customerId} /></span
						>
					</li>
				{/each}
			</ul>
		{/if}
		<Waiting waits={data.waits} refused={data.refused} open={data.open} />
		<h2 class="mt-6" id="unbound">Claimed, not bound</h2>
		{#if data.unbound.length === 0}<p class="quiet mt-2">Every claimed unit has its position.</p>{:else}
			<Table classes={{ div: 'mt-2' }}>
				<TableHead
					><TableHeadCell>Serial number</TableHeadCell><TableHeadCell>Model</TableHeadCell><TableHeadCell
						>Customer</TableHeadCell
					><TableHeadCell>Claimed</TableHeadCell></TableHead
				>
				<TableBody>
					{#each data.unbound as unit (unit.id)}
						<TableBodyRow
							><TableBodyCell><a href="/units/{unit.id}"><Serial serial={unit.serial} /></a></TableBodyCell
							><TableBodyCell>{unit.modelName}</TableBodyCell><TableBodyCell
								>{unit.customerName}</TableBodyCell
							><TableBodyCell class="quiet"><When at={unit.claimedAt} /></TableBodyCell></TableBodyRow
						>
					{/each}
				</TableBody>
			</Table>
		{/if}
	</section>
</div>

<style>
	.two {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(0, 1.1fr);
		gap: 2rem;
		align-items: start;
	}
	.bad {
		color: var(--brick);
	}
	.lately li {
		display: flex;
		flex-wrap: wrap;
		justify-content: space-between;
		gap: 0.2rem 1rem;
		padding: 0.45rem 0.9rem;
		border-bottom: 1px solid var(--hairline);
	}
	.lately li:last-child {
		border: 0;
	}
	.lately:empty {
		display: none;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
