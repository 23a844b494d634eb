<script lang="ts">
	import { FormField, MenuLink, PageHead } from '$ui/kit';
	import { onMount, untrack } from 'svelte';
	import { Button } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { beforeNavigate } from '$app/navigation';
	import { DIALECTS, type Dialect } from '$core/config';
	import { checkPiece, OWN_FILTERS, portsNeeded, remarksOn, type Field } from '$core/profile';
	import { TextDifference, TextEditor } from '$ui/edit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { FieldTable } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles']));

	const copy = <Thing,>(thing: Thing): Thing => JSON.parse(JSON.stringify(thing)) as Thing;
	const newest = $derived(data.revisions[0]!);
	/** The newest revision is what is written on; older ones are for reading. */
	const writing = $derived(mayDo('edit profiles') && data.chosen.id === newest.id && !data.part.retiredAt);
	const draftEdit = $derived(newest.state === 'draft' ? newest.edit : 0);

	let texts = $state<Partial<Record<Dialect, string>>>(untrack(() => copy(data.chosen.texts)));
	let fields = $state<Field[]>(untrack(() => copy(data.chosen.fields) as Field[]));
	/** The draft as it was when it was taken up here. */
	let edit = $state(untrack(() => draftEdit));
	let from = $state(untrack(() => ({ id: data.chosen.id, edit: data.chosen.edit })));
	let saved = $state(untrack(() => JSON.stringify({ texts: data.chosen.texts, fields: data.chosen.fields })));
	/** What was just saved is on its way back. */
	let accepting = $state(false);
	const draft = $derived(JSON.stringify({ texts, fields }));
	const changed = $derived(draft !== saved);
	let dialect = $state<Dialect>(
		untrack(() => {
			const written = Object.keys(data.chosen.texts) as Dialect[];
			return written.find((one) => one === data.dialect) ?? written[0] ?? 'indented';
		})
	);

	function takeUp() {
		texts = copy(data.chosen.texts);
		fields = copy(data.chosen.fields) as Field[];
		edit = draftEdit;
		from = { id: data.chosen.id, edit: data.chosen.edit };
		saved = JSON.stringify({ texts: data.chosen.texts, fields: data.chosen.fields });
		if (texts[dialect] === undefined) dialect = (Object.keys(texts)[0] as Dialect) ?? 'indented';
	}
	$effect(() => {
		// Another revision was chosen, or somebody else saved while nothing was changed here
		const other = data.chosen.id !== from.id || data.chosen.edit !== from.edit;
		if (other && !accepting) untrack(() => (!changed || data.chosen.id !== from.id) && takeUp());
	});
	const overtaken = $derived(writing && changed && draftEdit !== edit);
	beforeNavigate(({ cancel, willUnload, to }) => {
		if (!changed || to?.url.pathname === location.pathname) return;
		if (willUnload || !confirm('What you wrote here is not saved. Leave it?')) cancel();
	});

	const piece = $derived({ name: data.part.name, text: texts[dialect] ?? '', fields });
	/** A text is looked through in the browser only: a long one would hold the server up for everybody. */
	let here = $state(false);
	onMount(() => {
		here = true;
	});
	const problems = $derived(here ? checkPiece(piece) : []);
	const remarks = $derived(here ? remarksOn(piece) : []);
	const marks = $derived([
		...(data.line ? [{ line: data.line, message: 'Units refuse this line.', grave: true }] : []),
		...problems.map(({ line, message }) => ({ line: line ?? 1, message, grave: true })),
		...remarks.flatMap(({ line, message }) => (line === null ? [] : [{ line, message, grave: false }]))
	]);
	const ports = $derived(here ? portsNeeded(piece.text) : []);
	let why = $state('');
	/** The draft that somebody else saved meanwhile. */
	const theirs = $derived(form && 'theirs' in form ? (form.theirs as typeof data.chosen | null) : null);
</script>

<PageHead title={data.part.name}>
	{#snippet acts()}{#if data.part.onlyFor && mayDo('edit profiles')}<form
				method="POST"
				action="?/library"
				use:act
				class="contents"
			>
				<Button type="submit" size="sm" color="alternative">Put it into the library</Button>
			</form>{/if}<Button href="/profiles#parts" size="sm" color="alternative">All parts</Button>{/snippet}
	{#snippet more()}<MenuLink href="/records?thing={data.part.id}">Records of this part</MenuLink>{/snippet}
	{#snippet about()}<span>{data.part.summary}</span>{#if data.part.onlyFor}<span
				>Only <a href="/profiles/{data.part.onlyFor}">one profile</a> has it.</span
			>{/if}{/snippet}
</PageHead>
<FormWords {form} />
{#if overtaken}<p class="mt-3 font-semibold text-[var(--brick)]" role="alert">
		{newest.editedBy} has saved this draft since you opened it. Saving yours will show you both.
	</p>{/if}
{#if theirs}
	<section class="sheet mt-3 p-4">
		<h2>Theirs and yours, {dialect}</h2>
		<p class="quiet">What {theirs.editedBy} saved is struck where yours differs.</p>
		<TextDifference
			before={theirs.texts[dialect] ?? ''}
			after={texts[dialect] ?? ''}
			label="Theirs and yours"
		/>
		<p class="mt-3 flex gap-3">
			<Button size="sm" onclick={() => (edit = theirs.edit)}>Keep mine, and save again</Button>
			<Button
				size="sm"
				color="alternative"
				onclick={() => {
					texts = copy(theirs.texts);
					fields = copy(theirs.fields) as Field[];
					edit = theirs.edit;
					saved = JSON.stringify({ texts: theirs.texts, fields: theirs.fields });
				}}>Take theirs</Button
			>
		</p>
	</section>
{/if}
<div class="two mt-4">
	<div>
		<div class="flex flex-wrap items-center gap-2" role="group" aria-label="Dialects">
			{#each DIALECTS as one (one)}
				{#if texts[one] !== undefined}
					<button
						aria-pressed={dialect === one}
						class="tab"
						class:chosen={dialect === one}
						onclick={() => (dialect = one)}>{one}</button
					>
				{:else if writing}
					<button
						class="tab quiet"
						onclick={() => {
							texts[one] = '';
							dialect = one;
						}}>+ {one}</button
					>
				{/if}
			{/each}
			{#if writing && texts[dialect] !== undefined && Object.keys(texts).length > 1}
				<button
					class="link ml-auto"
					onclick={() => {
						delete texts[dialect];
						dialect = Object.keys(texts)[0] as Dialect;
					}}>Remove this text</button
				>
			{/if}
		</div>
		{#if texts[dialect] !== undefined}
			{#key `${data.chosen.id} ${writing}`}
				<div class="mt-2">
					<TextEditor
						bind:text={() => texts[dialect] ?? '', (text) => (texts[dialect] = text)}
						label="{data.part.name}, {dialect}"
						{marks}
						readonly={!writing}
					/>
				</div>
			{/key}
		{:else}<p class="sheet mt-2 p-5">
				{writing ? 'Choose a dialect above to write its text.' : 'There is no text.'}
			</p>{/if}
		{#if problems.length + remarks.length > 0}
			<ul class="mt-3 space-y-1" aria-label="Remarks">
				{#each problems as problem, index (index)}<li class="text-[var(--brick)]">
						<b>{problem.line === null ? '' : `Line ${problem.line}, column ${problem.column}: `}</b
						>{problem.message}
					</li>{/each}
				{#each remarks as remark, index (index)}<li>
						<b>{remark.line === null ? '' : `Line ${remark.line}: `}</b>{remark.message}
					</li>{/each}
			</ul>
		{/if}
		{#if ports.length > 0}<p class="quiet mt-2">It needs ports for {ports.join(', ')}.</p>{/if}
		{#if writing}<details class="mt-3">
				<summary class="quiet cursor-pointer">What a text can use</summary>
				<p class="mt-1">
					<code>{'{{ name }}'}</code> for a field; <code>{'{% if name %} … {% endif %}'}</code> and
					<code>{'{% for row in rows %} … {% endfor %}'}</code>. A line of tags alone leaves no line. Known
					without a field: <code>customer.name</code>, <code>site.name</code>, <code>site.time_zone</code>,
					<code>site.uplink</code>, <code>site.provider</code>, <code>site.circuit</code>,
					<code>site.sim</code>, <code>site.apn</code>,
					<code>position.name</code>, <code>port.uplink</code> and the model’s other port roles,
					<code>limen.call_home_host</code>, <code>limen.call_home_port</code>,
					<code>limen.netconf_port</code>, <code>limen.public_key</code>. After a “|”: {OWN_FILTERS.join(
						', '
					)}.
				</p>
			</details>{/if}
		<h2 class="mt-6">Fields</h2>
		<FieldTable bind:fields readonly={!writing} />
	</div>
	<aside>
		{#if writing}
			<form
				method="POST"
				action="?/save"
				use:act={() => {
					const sent = draft;
					return async ({ result, update }) => {
						accepting = result.type === 'success';
						const untouched = draft === sent;
						await update({ reset: false });
						if (accepting && result.type === 'success') {
							if (untouched) takeUp();
							else {
								// What was typed meanwhile stays, and is not saved yet
								edit = Number(result.data?.edit);
								from = { id: data.chosen.id, edit: data.chosen.edit };
								saved = sent;
							}
						}
						accepting = false;
					};
				}}
				class="sheet p-4"
			>
				<input type="hidden" name="edit" value={edit} />
				<input type="hidden" name="draft" value={draft} />
				<p>
					{#if newest.state === 'draft'}Draft {newest.number}, last saved by {newest.editedBy},
						<When at={newest.editedAt} />{:else}Revision {newest.number} is released. What you write becomes draft
						{newest.number + 1}.{/if}
				</p>
				<Button type="submit" size="sm" class="mt-3" disabled={!changed}>Save draft</Button>
				{#if changed}<span class="quiet ml-2">not saved yet</span>{/if}
			</form>
			{#if newest.state === 'draft'}
				<form method="POST" action="?/release" use:act class="sheet mt-3 p-4">
					<input type="hidden" name="edit" value={edit} />
					<FormField label="Why, or what is new" name="why" bind:value={why} required maxlength={2000} />
					<div class="mt-3 flex flex-wrap gap-3">
						<Button type="submit" size="sm" disabled={changed || problems.length > 0}
							>Release revision {newest.number}</Button
						>
						<Button type="submit" size="sm" color="alternative" formaction="?/drop" formnovalidate
							>Throw the draft away</Button
						>
					</div>
				</form>
			{/if}
		{/if}
		<h2 class="mt-5">Revisions</h2>
		<ul class="sheet mt-2">
			{#each data.revisions as revision (revision.id)}
				<li>
					<a
						href="?revision={revision.number}"
						class="font-semibold"
						aria-current={revision.id === data.chosen.id ? 'true' : undefined}
						>{revision.state === 'draft' ? 'Draft' : 'Revision'} {revision.number}</a
					>
					<span class="quiet"
						>{#if revision.releasedAt}<When at={revision.releasedAt} /> by {revision.releasedBy}{/if}</span
					>
					<div>{revision.note}</div>
				</li>
			{/each}
		</ul>
		<h2 class="mt-5" id="uses">Used by</h2>
		<ul class="mt-1">
			{#each data.uses as use (use.profileId + use.number + use.isDraft)}<li>
					<a href="/profiles/{use.profileId}" class="underline">{use.profileName}</a>
					<span class="quiet">at revision {use.number}{use.isDraft ? ', in a draft' : ''}</span>
				</li>{:else}<li class="quiet">No profile uses it.</li>{/each}
		</ul>
		{#if writing}<form method="POST" action="?/retire" use:act class="mt-4">
				<Button type="submit" size="xs" color="alternative">Take it out of the library</Button>
			</form>{/if}
	</aside>
</div>

<style>
	.link {
		color: var(--pine);
		text-decoration: underline;
		cursor: pointer;
	}
</style>
