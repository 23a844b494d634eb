<script lang="ts">
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { enhance } from '$app/forms';
	import { beforeNavigate } from '$app/navigation';
	import type { Dialect } from '$core/config';
	import {
		describeType,
		fieldsOfPieces,
		isSecretType,
		MASK,
		readValue,
		writeValue,
		type CarriedFile,
		type Field,
		type ProofCheck,
		type Scripts,
		type Value
	} from '$core/profile';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo, RecordsOf } from '$ui/people';
	import { BesideEditor } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles']));

	interface Used {
		readonly partId: string;
		readonly revisionId: string;
		readonly name: string;
		readonly number: number;
		readonly fields: readonly Field[];
	}
	interface Draft {
		parts: Used[];
		texts: Partial<Record<Dialect, string>>;
		targets: Record<string, string>;
		scripts: Partial<Record<Dialect, Scripts>>;
		files: CarriedFile[];
		checks: ProofCheck[];
		values: Record<string, Value>;
	}
	type Chosen = typeof data.chosen;
	const copy = <Thing,>(thing: Thing): Thing => JSON.parse(JSON.stringify(thing)) as Thing;
	const draftOf = ({ parts, texts, targets, scripts, files, checks, values }: Chosen): Draft =>
		copy({ parts, texts, targets, scripts, files, checks, values }) as unknown as Draft;
	const sentAs = (one: Draft) =>
		JSON.stringify({
			...one,
			parts: one.parts.map(({ revisionId }) => revisionId),
			files: one.files.map(({ name, text }) => ({ name, text }))
		});

	const newest = $derived(data.revisions[0]!);
	const writing = $derived(mayDo('edit profiles') && data.chosen.id === newest.id);
	const draftEdit = $derived(data.chosen.state === 'draft' ? data.chosen.edit : 0);

	let draft = $state(untrack(() => draftOf(data.chosen)));
	let edit = $state(untrack(() => draftEdit));
	let from = $state(untrack(() => ({ id: data.chosen.id, edit: data.chosen.edit })));
	let saved = $state(untrack(() => sentAs(draftOf(data.chosen))));
	/** What was just saved is on its way back. */
	let accepting = $state(false);
	const sent = $derived(sentAs(draft));
	const changed = $derived(sent !== saved);
	function takeUp(chosen: Chosen) {
		draft = draftOf(chosen);
		edit = chosen.state === 'draft' ? chosen.edit : 0;
		from = { id: chosen.id, edit: chosen.edit };
		saved = sentAs(draftOf(chosen));
	}
	$effect(() => {
		if (!accepting && (data.chosen.id !== from.id || data.chosen.edit !== from.edit))
			untrack(() => (!changed || data.chosen.id !== from.id) && takeUp(data.chosen));
	});
	beforeNavigate(({ cancel, willUnload, to }) => {
		if (!changed || to?.url.pathname === location.pathname) return;
		if (willUnload || !confirm('What you wrote here is not saved. Leave it?')) cancel();
	});

	const theirs = $derived(form && 'theirs' in form ? (form.theirs as Chosen | null) : null);
	const composed = $derived(fieldsOfPieces(draft.parts));
	const newestOf = (partId: string) => data.library.find((one) => one.partId === partId);
	const free = $derived(
		data.library.filter(({ partId }) => !draft.parts.some((one) => one.partId === partId))
	);
	let adding = $state('');

	function move(index: number, by: -1 | 1) {
		const [part] = draft.parts.splice(index, 1);
		draft.parts.splice(index + by, 0, part!);
	}
	function add() {
		const part = data.library.find(({ partId }) => partId === adding);
		if (part) draft.parts.push(copy(part) as Used);
		adding = '';
	}
	let typed = $state<Record<string, string>>({});
	/** A value as it is typed: kept when it can be read, else its problem is shown and nothing is lost. */
	function give(field: Field, text: string) {
		typed[field.name] = text;
		if (text === '') {
			delete draft.values[field.name];
			return;
		}
		const reading = readValue(field.type, text);
		if (reading.ok) draft.values[field.name] = copy(reading.value) as Value;
	}
	const problemOf = (field: Field) => {
		const text = typed[field.name];
		if (text === undefined || text === '' || text === MASK) return null;
		const reading = readValue(field.type, text);
		return reading.ok ? null : reading.message;
	};
	const shownValue = (field: Field) => {
		const value = draft.values[field.name];
		return typed[field.name] ?? (value === undefined ? '' : writeValue(value));
	};
	const covered = $derived(data.coverage.filter(({ gaps }) => gaps.length === 0));
</script>

<svelte:head><title>{data.profile.name} · Limen</title></svelte:head>
<h1>{data.profile.name}</h1>
<p class="quiet mt-1">
	For positions that are a {data.profile.roleName} ·
	<a href="/values?profile={data.profile.id}"
		>{counted(data.profile.positions, 'position follows it', 'positions follow it')}</a
	>
	·
	<RecordsOf what="this profile" id={data.profile.id} />
</p>
<FormWords {form} />
{#if theirs}
	<section class="sheet mt-3 p-4">
		<h2>What {theirs.editedBy} saved</h2>
		<p>Parts: {theirs.parts.map(({ name, number }) => `${name} ${number}`).join(', ') || 'none'}</p>
		<p>
			Yours: {draft.parts.map(({ name, number }) => `${name} ${number}`).join(', ') || 'none'}
		</p>
		{#each Object.keys({ ...theirs.values, ...draft.values }) as name (name)}
			{@const [one, other] = [theirs.values[name], draft.values[name]]}
			{#if JSON.stringify(one) !== JSON.stringify(other)}<p>
					<span class="mono">{name}</span>: theirs {one === undefined ? 'none' : writeValue(one)}, yours {other ===
					undefined
						? 'none'
						: writeValue(other)}
				</p>{/if}
		{/each}
		<p class="mt-3 flex gap-3">
			<Button size="sm" onclick={() => (edit = theirs.edit)}>Keep mine, and save again</Button>
			<Button size="sm" color="alternative" onclick={() => takeUp(theirs)}>Take theirs</Button>
		</p>
	</section>
{/if}
<div class="two mt-4">
	<div>
		<h2>Parts, in their order</h2>
		<ol class="sheet mt-2" aria-label="Parts">
			{#each draft.parts as part, index (part.partId)}
				{@const latest = newestOf(part.partId)}
				<li
					class="flex flex-wrap items-center gap-3 border-b border-[var(--hairline)] px-4 py-2 last:border-0"
				>
					<span class="quiet w-5">{index + 1}</span>
					<a href="/profiles/parts/{part.partId}?revision={part.number}" class="font-semibold">{part.name}</a>
					<span class="quiet">revision {part.number}</span>
					{#if latest && latest.number > part.number}
						{#if writing}<Button
								size="xs"
								color="alternative"
								onclick={() => (draft.parts[index] = copy(latest) as Used)}
								>Take up revision {latest.number}</Button
							>{:else}<span>revision {latest.number} is out</span>{/if}
					{/if}
					{#if writing}
						<span class="ml-auto flex gap-1">
							<Button
								size="xs"
								color="alternative"
								disabled={index === 0}
								aria-label="Move {part.name} up"
								onclick={() => move(index, -1)}>Up</Button
							>
							<Button
								size="xs"
								color="alternative"
								disabled={index === draft.parts.length - 1}
								aria-label="Move {part.name} down"
								onclick={() => move(index, 1)}>Down</Button
							>
							<Button
								size="xs"
								color="alternative"
								aria-label="Take {part.name} out"
								onclick={() => (draft.parts = draft.parts.filter((one) => one !== part))}>Take out</Button
							>
						</span>
					{/if}
				</li>
			{:else}<li class="p-4">There is no part in it yet.</li>{/each}
		</ol>
		{#if writing && free.length > 0}
			<p class="mt-2 flex flex-wrap gap-3">
				<label class="grow"
					><span class="sr-only">Part to add</span><select class="field" bind:value={adding}
						><option value="">Choose a part to add</option>{#each free as part (part.partId)}<option
								value={part.partId}>{part.name} ({part.dialects.join(', ')})</option
							>{/each}</select
					></label
				>
				<Button size="sm" class="self-end" disabled={adding === ''} onclick={add}>Add part</Button>
			</p>
		{/if}
		{#each composed.conflicts as conflict, index (index)}<p class="mt-2 text-[var(--brick)]" role="alert">
				{conflict.message}
			</p>{/each}

		<h2 class="mt-6">Values given here</h2>
		<p class="quiet">They count for every position; a customer, a site or a position may give its own.</p>
		<div class="sheet mt-2 overflow-auto">
			<table class="work-table">
				<thead><tr><th>Field</th><th>Value</th><th>Expected at</th></tr></thead>
				<tbody>
					{#each composed.fields as field (field.name)}
						{#if writing || draft.values[field.name] !== undefined}
							<tr
								><td
									><span class="mono">{field.name}</span>
									<div class="quiet text-sm">{field.description} {describeType(field.type)}</div></td
								><td class="w-1/2"
									>{#if writing}<input
											class="field mono"
											aria-label={field.name}
											value={shownValue(field)}
											placeholder={field.formula === undefined
												? (field.fallback ?? field.example)
												: `= ${field.formula}`}
											oninput={({ currentTarget }) => give(field, currentTarget.value)}
											spellcheck="false"
											autocomplete="off"
										/>{#if problemOf(field)}<div class="text-[var(--brick)]" role="alert">
												{problemOf(field)}
											</div>{/if}{:else}<span class="mono"
											>{isSecretType(field.type) ? MASK : writeValue(draft.values[field.name]!)}</span
										>{/if}</td
								><td
									>{#if field.scope === 'profile'}<b>here</b>, {field.need}{:else}{field.scope}, {field.need}{/if}</td
								></tr
							>
						{/if}
					{:else}<tr><td colspan="3" class="quiet">Its parts ask for nothing.</td></tr>{/each}
				</tbody>
			</table>
		</div>

		<h2 class="mt-6">Firmware</h2>
		<div class="mt-2 flex flex-wrap gap-4">
			{#each data.lines as { line, versions } (line)}
				<label
					>{line}
					{#if writing}<select
							class="field mono"
							value={draft.targets[line] ?? ''}
							onchange={({ currentTarget }) => {
								if (currentTarget.value === '') delete draft.targets[line];
								else draft.targets[line] = currentTarget.value;
							}}
							><option value="">any version</option
							>{#each [...new Set( [...versions, ...(draft.targets[line] ? [draft.targets[line]] : [])] )] as version (version)}<option
									value={version}>{version}</option
								>{/each}</select
						>{:else}<b class="mono block">{draft.targets[line] ?? 'any version'}</b>{/if}</label
				>
			{/each}
		</div>

		<BesideEditor
			bind:written={draft}
			dialects={data.dialects}
			fields={composed.fields}
			{writing}
			revision={from.id}
		/>
	</div>
	<aside>
		{#if writing}
			<form
				method="POST"
				action="?/save"
				use:enhance={() => {
					const given = sent;
					return async ({ result, update }) => {
						accepting = result.type === 'success';
						const untouched = sent === given;
						await update({ reset: false });
						if (accepting && result.type === 'success') {
							if (untouched) {
								takeUp(data.chosen);
								typed = {};
							} else {
								// What was typed meanwhile stays, and is not saved yet
								edit = Number(result.data?.edit);
								from = { id: data.chosen.id, edit: data.chosen.edit };
								saved = given;
							}
						}
						accepting = false;
					};
				}}
				class="sheet p-4"
			>
				<input type="hidden" name="edit" value={edit} />
				<input type="hidden" name="draft" value={sent} />
				<p>
					{#if newest.state === 'draft'}Draft {newest.number}, last saved by {newest.editedBy}, <When
							at={newest.editedAt}
						/>{:else}Revision {newest.number} is released. What you change becomes draft {newest.number +
							1}.{/if}
				</p>
				<div class="mt-3 flex flex-wrap items-center gap-3">
					<Button type="submit" size="sm" disabled={!changed}>Save draft</Button>
					{#if newest.state === 'draft'}
						<a class="font-semibold" href="/profiles/{data.profile.id}/release">What releasing it changes</a>
						{#if newest.number > 1}<Button
								type="submit"
								size="xs"
								color="alternative"
								formaction="?/drop"
								formnovalidate>Throw the draft away</Button
							>{/if}
					{/if}
				</div>
				{#if changed}<p class="quiet mt-2">Not saved yet.</p>{/if}
			</form>
		{/if}
		<h2 class="mt-5">Models it serves</h2>
		<ul class="sheet mt-2" aria-label="Models it serves">
			{#each data.coverage as model (model.modelId)}
				<li class="border-b border-[var(--hairline)] px-4 py-2 last:border-0">
					<b>{model.modelName}</b>
					{#if model.gaps.length === 0}served{:else}<span class="quiet"
							>{model.gaps[0]}{model.gaps.length > 1 ? ` And ${model.gaps.length - 1} more.` : ''}</span
						>{/if}
				</li>
			{/each}
		</ul>
		{#if covered.length === 0}<p class="quiet mt-1">Saved as it is, it serves no model.</p>{/if}
		<h2 class="mt-5">Revisions</h2>
		<ul class="sheet mt-2">
			{#each data.revisions as revision (revision.id)}
				<li class="border-b border-[var(--hairline)] px-4 py-2 last:border-0">
					<a
						href="?revision={revision.number}"
						aria-current={revision.id === data.chosen.id ? 'true' : undefined}
						class="font-semibold">{revision.state === 'draft' ? 'Draft' : 'Revision'} {revision.number}</a
					>
					<span class="quiet"
						>{#if revision.releasedAt}<When at={revision.releasedAt} />{#if revision.releasedBy}&nbsp;by {revision.releasedBy}{/if}{/if}</span
					>
					{#if revision.id === data.profile.releasedRevisionId}<b class="text-[var(--pine)]">in force</b>{/if}
					<div>{revision.note}</div>
					{#if mayDo('edit profiles') && revision.state === 'released' && newest.state !== 'draft' && revision.id !== data.profile.releasedRevisionId}
						<form method="POST" action="?/again" use:enhance class="mt-1">
							<input type="hidden" name="number" value={revision.number} />
							<Button type="submit" size="xs" color="alternative">Go back to it in a new draft</Button>
						</form>
					{/if}
				</li>
			{/each}
		</ul>
	</aside>
</div>

<style>
	.two {
		display: grid;
		grid-template-columns: minmax(0, 1fr) minmax(17rem, 24rem);
		gap: 2rem;
		align-items: start;
	}
	@media (max-width: 900px) {
		.two {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
