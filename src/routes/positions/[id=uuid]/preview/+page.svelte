<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { Button, Checkbox } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { page } from '$app/state';
	import { goto } from '$app/navigation';
	import { TextDifference } from '$ui/edit';
	import { refreshOn, wantedQuery } from '$ui/live';
	import { act } from '$ui/forms';
	import { FormWords, mayDo } from '$ui/people';
	import { PositionPreview } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles', 'plan']));

	const withWhat = $derived(page.url.searchParams.get('with') ?? 'sent');
	let whole = $state(false);
	function choose(name: string, value: string) {
		const query = wantedQuery();
		query.delete('draft');
		if (value === '') query.delete(name);
		else query.set(name, value);
		void goto(`?${query}`, { keepFocus: true, noScroll: true });
	}
	/** The rendering as it is compared. */
	const text = $derived(data.other?.against ?? data.text);
	const same = $derived(data.other?.text === text);
</script>

<PageHead title="What {data.position.name} at {data.site.name} gets">
	{#snippet acts()}<Button
			href="/sites/{data.site.id}?position={data.position.id}"
			size="sm"
			color="alternative">Back to the site</Button
		>{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-3 flex flex-wrap gap-4">
	<FormField
		label="Revision"
		kind="select"
		stored={String(data.chosenNumber ?? '')}
		onchange={({ currentTarget }) => choose('revision', currentTarget.value)}
	>
		{#each data.revisions as revision (revision.id)}<option value={String(revision.number)}
				>{revision.state === 'draft' ? 'draft' : 'revision'} {revision.number}</option
			>{/each}
	</FormField>
	<FormField
		label="As on"
		kind="select"
		value={page.url.searchParams.get('model') ?? ''}
		onchange={({ currentTarget }) => choose('model', currentTarget.value)}
	>
		<option value="">{data.preview.isBound ? 'the bound unit’s model' : 'the first model that fits'}</option>
		{#each data.models as model (model.id)}<option value={model.id}>{model.name}</option>{/each}
	</FormField>
	<FormField
		label="Compared with"
		kind="select"
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
	</FormField>
	<Checkbox bind:checked={whole} classes={{ div: 'self-end pb-2' }}>the whole text</Checkbox>
</div>
{#if data.own.length > 0}
	<section class="mt-4">
		<h2>Its own text</h2>
		<p class="quiet">
			Statements that this position has beside its profile, as somebody accepted them from its unit.
		</p>
		<ul class="sheet mt-2" aria-label="Its own text">
			{#each data.own as words, index (`${index} ${words}`)}
				<li class="flex flex-wrap items-center justify-between gap-3 px-4 py-2">
					<span class="mono text-sm">{words}</span>
					{#if mayDo('set values', data.position.customerId)}<form method="POST" action="?/removeOwn" use:act>
							<input type="hidden" name="index" value={index} />
							<input type="hidden" name="words" value={words} />
							<Button type="submit" size="xs" color="alternative">Take it away</Button>
						</form>{/if}
				</li>
			{/each}
		</ul>
	</section>
{/if}
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
		isCompared
		revealed={form && 'revealed' in form ? (form.revealed as never) : null}
	/>
</section>
