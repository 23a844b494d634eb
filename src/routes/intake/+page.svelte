<script lang="ts">
	import { FormField, PageHead, Table } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import {
		Button,
		Fileupload,
		Label,
		Select,
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
	import { mayDo } from '$ui/people';
	import { labelAsRow, LARGEST_FILE, type ColumnsRead, type Meaning } from '$core/intake';
	import { ScanLabel } from '$ui/scan';
	import { BatchOutcome, Columns, Lately, Waiting } from '$ui/intake';

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
</script>

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
			{#key form.outcome.batchId}<BatchOutcome
					outcome={form.outcome}
					{text}
					waits={data.waits}
					refusedUnits={data.refused}
					onrepair={repair}
				/>{/key}
		{:else}
			<Lately batches={data.batches} />
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
		--columns: minmax(0, 1fr) minmax(0, 1.1fr);
	}
</style>
