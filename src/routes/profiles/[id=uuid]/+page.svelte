<script lang="ts">
	import { FormField, MenuAct, MenuLink, Notice, PageHead } from '$ui/kit';
	import { counted } from '$core/text';
	import { onMount, untrack } from 'svelte';
	import { Badge, Button, TabItem, Tabs } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { beforeNavigate } from '$app/navigation';
	import type { Dialect } from '$core/config';
	import {
		fieldsOfPieces,
		writeValue,
		type CarriedFile,
		type ProofCheck,
		type Scripts,
		type Value
	} from '$core/profile';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';
	import { BesideEditor, DraftPreview, GivenValues, PartOrder, type UsedPart } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles']));

	interface Draft {
		parts: UsedPart[];
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
	/** How often the draft was taken anew: what was half typed before is gone then. */
	let taken = $state(0);
	function takeUp(chosen: Chosen) {
		taken++;
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

	/** The tab that is open; the address says which is open at first. */
	let tab = $state(untrack(() => data.tab));
	const keep = $derived(`tab=${tab}`);
	const theirs = $derived(form && 'theirs' in form ? (form.theirs as Chosen | null) : null);
	const composed = $derived(fieldsOfPieces(draft.parts));
	const covered = $derived(data.coverage.filter(({ gaps }) => gaps.length === 0));
</script>

<PageHead title={data.profile.name}>
	{#snippet state()}
		{#if newest.state === 'draft'}<Badge color="yellow">draft {newest.number}</Badge>{/if}
		{#if data.profile.releasedRevisionId}<Badge
				>revision {data.revisions.find(({ id }) => id === data.profile.releasedRevisionId)?.number} in force</Badge
			>{:else}<Badge color="gray">nothing released</Badge>{/if}
	{/snippet}
	{#snippet acts()}
		{#if writing}
			<form
				method="POST"
				action="?/save&{keep}"
				use:act={() => {
					const given = sent;
					return async ({ result, update }) => {
						accepting = result.type === 'success';
						const untouched = sent === given;
						await update({ reset: false });
						if (accepting && result.type === 'success') {
							if (untouched) {
								takeUp(data.chosen);
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
				id="draft"
			>
				<input type="hidden" name="edit" value={edit} />
				<input type="hidden" name="draft" value={sent} />
				<Button type="submit" size="sm" disabled={!changed}>Save draft</Button>
			</form>
			{#if newest.state === 'draft'}<Button
					href="/profiles/{data.profile.id}/release"
					size="sm"
					color="alternative">What releasing it changes</Button
				>{/if}
		{/if}
	{/snippet}
	{#snippet more()}
		<MenuLink href="/values?profile={data.profile.id}">Values of its positions</MenuLink>
		<MenuLink href="/profiles/{data.profile.id}/proof">What proofs check</MenuLink>
		{#if writing && newest.state === 'draft' && newest.number > 1}<MenuAct
				action="?/drop"
				fields={{ edit: String(edit) }}>Throw the draft away</MenuAct
			>{/if}
		{#if mayDo('see records')}<MenuLink href="/records?thing={data.profile.id}"
				>Records of this profile</MenuLink
			>{/if}
	{/snippet}
	{#snippet about()}
		<span>For positions that are a {data.profile.roleName}</span>
		{#if data.behind}<a href="/upkeep/behind?profile={data.profile.id}"
				>{data.behind.revision === null ? '' : `revision ${data.behind.revision}: `}{data.behind.current} run it{data
					.behind.behind > 0
					? `, ${data.behind.behind} behind`
					: ''}</a
			>{/if}
		<a href="/values?profile={data.profile.id}"
			>{counted(data.profile.positions, 'position follows it', 'positions follow it')}</a
		>
		{#if writing}<span
				>{#if newest.state === 'draft'}last saved by {newest.editedBy}, <When
						at={newest.editedAt}
					/>{:else}what you change becomes draft {newest.number + 1}{/if}</span
			>{/if}
	{/snippet}
</PageHead>
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
<div class="two mt-3">
	<div>
		<Tabs bind:selected={tab} tabStyle="underline">
			<TabItem key="parts" title="Parts" open={tab === 'parts'}>
				<PartOrder bind:parts={draft.parts} library={data.library} {writing} />
				{#each composed.conflicts as conflict, index (index)}<Notice kind="wrong">{conflict.message}</Notice
					>{/each}
				<h2 class="mt-5">Models it serves</h2>
				<ul class="sheet mt-2" aria-label="Models it serves">
					{#each data.coverage as model (model.modelId)}
						<li>
							<b>{model.modelName}</b>
							{#if model.gaps.length === 0}served{:else}<span class="quiet"
									>{model.gaps[0]}{model.gaps.length > 1 ? ` And ${model.gaps.length - 1} more.` : ''}</span
								>{/if}
						</li>
					{/each}
				</ul>
				{#if covered.length === 0}<p class="quiet mt-1">Saved as it is, it serves no model.</p>{/if}
			</TabItem>
			<TabItem key="values" title="Values" open={tab === 'values'}>
				{#key taken}<GivenValues bind:values={draft.values} fields={composed.fields} {writing} />{/key}
			</TabItem>
			<TabItem key="firmware" title="Firmware and scripts" open={tab === 'firmware'}>
				<h2>Firmware</h2>
				<div class="mt-2 flex flex-wrap gap-4">
					{#each data.lines as { line, versions } (line)}
						{#if writing}<FormField
								label={line}
								kind="select"
								mono
								stored={draft.targets[line] ?? ''}
								none="any version"
								items={[...new Set([...versions, draft.targets[line] ?? ''])]
									.filter(Boolean)
									.map((version) => ({ value: version, name: version }))}
								onchange={({ currentTarget }) => {
									if (currentTarget.value === '') delete draft.targets[line];
									else draft.targets[line] = currentTarget.value;
								}}
							/>{:else}<p>{line} <b class="mono">{draft.targets[line] ?? 'any version'}</b></p>{/if}
					{/each}
				</div>
				<div class="mt-6">{@render beside('texts')}</div>
			</TabItem>
			<TabItem key="checks" title="Checks" open={tab === 'checks'}>{@render beside('checks')}</TabItem>
			<TabItem key="files" title="Files" open={tab === 'files'}>{@render beside('files')}</TabItem>
			<TabItem key="revisions" title="Revisions" open={tab === 'revisions'}>
				<h2>Revisions</h2>
				<ul class="sheet mt-2">
					{#each data.revisions as revision (revision.id)}
						<li>
							<a
								href="?revision={revision.number}"
								aria-current={revision.id === data.chosen.id ? 'true' : undefined}
								class="font-semibold">{revision.state === 'draft' ? 'Draft' : 'Revision'} {revision.number}</a
							>
							<span class="quiet"
								>{#if revision.releasedAt}<When at={revision.releasedAt} />{#if revision.releasedBy}&nbsp;by {revision.releasedBy}{/if}{/if}</span
							>
							{#if revision.id === data.profile.releasedRevisionId}<b class="text-[var(--pine)]">in force</b
								>{/if}
							<div>{revision.note}</div>
							{#if mayDo('edit profiles') && revision.state === 'released' && newest.state !== 'draft' && revision.id !== data.profile.releasedRevisionId}
								<form method="POST" action="?/again" use:act class="mt-1">
									<input type="hidden" name="number" value={revision.number} />
									<Button type="submit" size="xs" color="alternative">Go back to it in a new draft</Button>
								</form>
							{/if}
						</li>
					{/each}
				</ul>
			</TabItem>
		</Tabs>
	</div>
	<aside>
		<DraftPreview positions={data.positions} draft={sent} {changed} {edit} customerId={data.customerId} />
	</aside>
</div>

{#snippet beside(show: 'texts' | 'checks' | 'files')}
	<BesideEditor
		bind:written={draft}
		dialects={data.dialects}
		fields={composed.fields}
		{writing}
		revision={from.id}
		{show}
	/>
{/snippet}

<style>
	.two {
		--columns: minmax(0, 1.15fr) minmax(0, 1fr);
	}
	aside {
		position: sticky;
		top: 0.5rem;
	}
</style>
