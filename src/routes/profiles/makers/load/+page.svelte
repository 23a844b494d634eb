<script lang="ts">
	import {
		Button,
		Fileupload,
		Label,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import {
		ASK_KINDS,
		askKind,
		LARGEST_PACK,
		type PackChange,
		type PackProblem,
		type Trial
	} from '$core/pack';
	import { counted } from '$core/text';
	import { TextEditor } from '$ui/edit';
	import { act } from '$ui/forms';
	import { FormField, PageHead, Table } from '$ui/kit';
	import { TrialResult } from '$ui/packs';
	import { FormWords } from '$ui/people';

	interface Compared {
		readonly maker: string;
		readonly version: string;
		readonly models: number;
		readonly before: string | null;
		readonly changes: readonly PackChange[];
	}
	let { form } = $props();
	let text = $state('');
	let files = $state<FileList>();
	let problem = $state('');
	/** The text that was compared: what is written since then has to be compared anew. */
	let seen = $state('');
	const compared = $derived(
		form && 'compared' in form && seen === text ? (form.compared as unknown as Compared) : null
	);
	const faults = $derived((form && 'faults' in form ? (form.faults as readonly PackProblem[]) : null) ?? []);
	const trial = $derived(form && 'trial' in form ? (form.trial as unknown as Trial) : null);
	const marks = $derived(
		seen === text ? faults.map(({ line, message }) => ({ line, message, grave: true })) : []
	);
	/** The models that the text names, while it can be read at all. */
	const models = $derived.by(() => {
		try {
			const found = (JSON.parse(text) as { models?: { id?: unknown; name?: unknown }[] }).models ?? [];
			return found.flatMap(({ id, name }) =>
				typeof id === 'string' ? [{ value: id, name: typeof name === 'string' ? name : id }] : []
			);
		} catch {
			return [];
		}
	});

	async function choose() {
		const file = files?.[0];
		if (!file) return;
		problem = file.size > LARGEST_PACK ? `“${file.name}” is larger than 2 MB. Nothing was read.` : '';
		if (problem === '') text = await file.text();
	}
	const KIND_WORDS = { new: 'new', gone: 'left out', changed: 'changed' };
</script>

<PageHead title="Load a pack">
	{#snippet about()}<span
			><a href="/profiles/makers">All makers</a> · Nothing changes before you have seen what it changes.</span
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-4 grid items-start gap-6 lg:grid-cols-[3fr_2fr]">
	<div class="min-w-0">
		<Label for="pack-file">Pack file</Label>
		<Fileupload
			id="pack-file"
			accept=".json,application/json"
			bind:files
			onchange={choose}
			class="mt-1 max-w-96"
		/>
		{#if problem}<p role="alert" class="mt-1 text-[var(--brick)]">{problem}</p>{/if}
		<div class="mt-3 max-h-[45vh] overflow-auto"><TextEditor bind:text label="Pack" {marks} /></div>
		{#if seen === text && faults.length > 0}
			<ul class="mt-2" aria-label="What is not right">
				{#each faults as fault, index (index)}
					<li class="text-[var(--brick)]">
						Line {fault.line}{#if fault.place}, <span class="mono">{fault.place}</span>{/if}: {fault.message}
					</li>
				{/each}
			</ul>
		{/if}
		<form
			method="POST"
			use:act={() => {
				seen = text;
				return ({ update }) => update({ reset: false });
			}}
			class="mt-3 flex gap-3"
		>
			<input type="hidden" name="pack" value={text} />
			<Button
				type="submit"
				formaction="?/compare"
				size="sm"
				color={compared ? 'alternative' : 'primary'}
				disabled={text === ''}>Compare</Button
			>
			{#if compared}<Button type="submit" formaction="?/load" size="sm"
					>Take {compared.maker} {compared.version} into use</Button
				>{/if}
		</form>
		{#if compared}
			<section class="mt-4" aria-label="What it changes">
				<h2>What it changes</h2>
				{#if compared.before === null}
					<p>
						{compared.maker} is new here, with {counted(compared.models, 'model')}. Nothing that is here
						changes.
					</p>
				{:else if compared.changes.length === 0}
					<p>Nothing but its version, from {compared.before} to {compared.version}.</p>
				{:else}
					<p>
						From version {compared.before} to {compared.version}, in {counted(
							compared.changes.length,
							'place'
						)}:
					</p>
					<div class="mt-2">
						<Table label="What the pack changes">
							<TableHead
								><TableHeadCell>What</TableHeadCell><TableHeadCell>Where</TableHeadCell><TableHeadCell
									>Before</TableHeadCell
								><TableHeadCell>After</TableHeadCell></TableHead
							>
							<TableBody>
								{#each compared.changes.slice(0, 200) as change, index (index)}
									<TableBodyRow>
										<TableBodyCell>{change.thing}</TableBodyCell>
										<TableBodyCell class="mono">{change.place || KIND_WORDS[change.kind]}</TableBodyCell>
										<TableBodyCell class="mono break-all">{change.before ?? ''}</TableBodyCell>
										<TableBodyCell class="mono break-all">{change.after ?? ''}</TableBodyCell>
									</TableBodyRow>
								{/each}
							</TableBody>
						</Table>
					</div>
				{/if}
			</section>
		{/if}
	</div>
	<section class="sheet min-w-0 p-4" aria-label="Try it">
		<h2>Try it</h2>
		{#if models.length === 0}
			<p class="quiet mt-1">
				Once there is a pack, what a device printed can be pasted here, to see what the pack reads out of it.
			</p>
		{:else}
			<p class="quiet">Paste what a device printed, and see what this pack reads out of it.</p>
			<form
				method="POST"
				action="?/try"
				use:act={() =>
					({ update }) =>
						update({ reset: false })}
				class="mt-2"
			>
				<input type="hidden" name="pack" value={text} />
				<div class="flex flex-wrap gap-3">
					<FormField label="Model" kind="select" name="model" items={models} />
					<FormField label="Asked" kind="select" name="ask"
						>{#each ASK_KINDS as kind (kind)}<option value={kind}>{askKind(kind).words}</option
							>{/each}</FormField
					>
				</div>
				<FormField
					label="What it printed"
					kind="lines"
					name="printed"
					mono
					rows={10}
					class="mt-2 block"
					spellcheck="false"
				/>
				<Button type="submit" size="sm" class="mt-3">Read it</Button>
			</form>
		{/if}
		{#if trial}<TrialResult {trial} />{/if}
	</section>
</div>
