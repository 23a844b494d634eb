<script lang="ts">
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import { goto } from '$app/navigation';
	import { TextDifference } from '$ui/edit';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';
	import { PositionPreview } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles', 'plan']));

	const withWhat = $derived(page.url.searchParams.get('with') ?? 'sent');
	let whole = $state(false);
	function choose(name: string, value: string) {
		const query = new URLSearchParams(page.url.searchParams);
		query.delete('draft');
		if (value === '') query.delete(name);
		else query.set(name, value);
		void goto(`?${query}`, { keepFocus: true, noScroll: true });
	}
	/** The rendering as it is compared. */
	const text = $derived(data.other?.against ?? data.text);
	const same = $derived(data.other?.text === text);
</script>

<svelte:head><title>{data.position.name} at {data.site.name} · Limen</title></svelte:head>
<h1>What {data.position.name} at {data.site.name} gets</h1>
<p class="mt-1"><a href="/sites/{data.site.id}?position={data.position.id}">Back to the site</a></p>
<FormWords {form} />
<div class="mt-3 flex flex-wrap gap-4">
	<label
		>Revision
		<select
			class="field"
			value={String(data.chosenNumber ?? '')}
			onchange={({ currentTarget }) => choose('revision', currentTarget.value)}
		>
			{#each data.revisions as revision (revision.id)}<option value={String(revision.number)}
					>{revision.state === 'draft' ? 'draft' : 'revision'} {revision.number}</option
				>{/each}
		</select></label
	>
	<label
		>As on
		<select
			class="field"
			value={page.url.searchParams.get('model') ?? ''}
			onchange={({ currentTarget }) => choose('model', currentTarget.value)}
		>
			<option value="">{data.preview.isBound ? 'the bound unit’s model' : 'the first model that fits'}</option
			>
			{#each data.models as model (model.id)}<option value={model.id}>{model.name}</option>{/each}
		</select></label
	>
	<label
		>Compared with
		<select
			class="field"
			value={withWhat}
			onchange={({ currentTarget }) => choose('with', currentTarget.value)}
		>
			<option value="sent">what was last sent</option>
			<option value="running">what runs on the unit</option>
			{#each data.revisions as revision (revision.id)}<option value="revision:{revision.number}"
					>{revision.state === 'draft' ? 'draft' : 'revision'} {revision.number}</option
				>{/each}
			{#each data.following as other (other.id)}<option value="position:{other.id}"
					>{other.siteName} {other.name}</option
				>{/each}
		</select></label
	>
	<label class="flex items-center gap-2 self-end pb-2"
		><input type="checkbox" bind:checked={whole} /> the whole text</label
	>
</div>
<section class="mt-4">
	<h2>Difference</h2>
	{#if data.other === null || data.other.text === null}<p class="sheet mt-2 p-4">{data.other?.words}</p>
	{:else if !data.preview.ok}<p class="sheet mt-2 p-4">
			It cannot be computed yet, so there is nothing to compare.
		</p>
	{:else if same && !whole}<p class="sheet mt-2 p-4">The same as {data.other.words}, line by line.</p>
	{:else}
		<p class="quiet">From {data.other.words} to this. What goes is struck, what comes is marked.</p>
		{#key `${data.other.text}\n${text}`}
			<div class="mt-2">
				<TextDifference before={data.other.text} after={text} label="Difference" {whole} />
			</div>
		{/key}
	{/if}
</section>
<section class="mt-6">
	<h2>The configuration, line by line</h2>
	<PositionPreview
		preview={data.preview}
		positionName={data.position.name}
		positionId={data.position.id}
		customerId={data.position.customerId}
		revealed={form && 'revealed' in form ? (form.revealed as never) : null}
	/>
</section>
