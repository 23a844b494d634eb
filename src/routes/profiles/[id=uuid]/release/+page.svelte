<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { onMount } from 'svelte';
	import { Button, Checkbox, Progressbar } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';
	import { ChangedLines, ImpactGroups, ImpactWarnings } from '$ui/profile';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles']));

	const impact = $derived(data.impact);
	const groups = $derived(impact?.result?.groups ?? []);
	const stranded = $derived(impact?.result?.stranded ?? []);
	const uplink = $derived(impact?.result?.uplink ?? null);
	const count = (kind: string) =>
		groups.reduce((sum, group) => sum + (group.change.kind === kind ? group.count : 0), 0);
	const several = (number: number, one: string, many = `${one}s`) => `${number} ${number === 1 ? one : many}`;
	const percent = $derived(impact && impact.total > 0 ? Math.round((impact.done / impact.total) * 100) : 0);
	// Computed anew, since something else was changed meanwhile, the form goes and comes back: what was typed stays
	let why = $state('');
	let strand = $state(false);
	const drafts = $derived(data.draft?.parts.filter(({ state }) => state === 'draft') ?? []);
</script>

<PageHead title="What releasing {data.profile.name} changes">
	{#snippet acts()}
		{#if data.draft}<form method="POST" action="/profiles/{data.profile.id}?/rehearse" use:act>
				<Button type="submit" size="sm" color="alternative">Rehearse it where units are to come</Button>
			</form>{/if}
		<Button href="/profiles/{data.profile.id}" size="sm" color="alternative">Back to the profile</Button
		>{/snippet}
</PageHead>
<FormWords {form} />
{#if !data.draft || !impact}
	<p class="sheet mt-4 p-6">
		There is no draft. Change something in <a href="/profiles/{data.profile.id}">the profile</a> first.
	</p>
{:else}
	{#if impact.state === 'working'}
		<div class="sheet mt-4 p-5" aria-live="polite">
			<p>
				Rendering {several(impact.total, 'position')}, as they are and as they would be: {impact.done} done. You
				can leave this page and come back.
			</p>
			<div class="mt-3">
				<Progressbar
					progress={percent}
					role="progressbar"
					aria-valuenow={Math.round(percent)}
					aria-label="Positions done"
				/>
			</div>
		</div>
	{:else if impact.state === 'failed'}
		<p class="sheet mt-4 p-5 text-[var(--brick)]" role="alert">
			It could not be computed. <a href="/profiles/{data.profile.id}/release" data-sveltekit-reload
				>Try again</a
			>.
		</p>
	{:else}
		<p class="mt-3 text-lg" data-testid="impact">
			<b>{several(count('changed'), 'position')}</b> would change, <b>{count('same')}</b> stay as they are{#if count('broken') > 0},
				<b class="text-[var(--brick)]">{count('broken')} could not be computed any more</b
				>{/if}{#if count('mended') > 0},
				<b>{count('mended')}</b> could be computed at last{/if}. Releasing sends nothing.
		</p>
		{#if data.newFields.length > 0}
			<section class="sheet mt-3 p-4" aria-label="New fields">
				<h2>New fields</h2>
				<p class="mt-1">
					{#each data.newFields as { name, need, scope }, at (name)}{at > 0 ? ', ' : ''}<span class="mono"
							>{name}</span
						>
						({need}, given at the {scope}){/each}. Their
					<a href="/values?profile={data.profile.id}&draft=1&all=1">values can be filled in</a> now, typed, from
					a pool or from a file, before this is released.
				</p>
			</section>
		{/if}
		<ImpactWarnings {stranded} {uplink} />
		{#if data.beside.length > 0}
			<section class="sheet mt-3 p-4" aria-label="Beside the configuration">
				<h2>Beside the configuration, at every position</h2>
				{#each data.beside as { words, removed, added } (words)}
					<p class="mt-2 font-semibold">{words}</p>
					<ChangedLines hunks={[{ at: null, removed, added }]} label={words} />
				{/each}
			</section>
		{/if}
		<ImpactGroups {groups} address={({ id }) => `/positions/${id}/preview?draft=1`} />
		<form method="POST" use:act class="sheet mt-5 p-4">
			<input type="hidden" name="edit" value={impact.edit} />
			{#if drafts.length > 0}<p class="text-[var(--brick)]">
					{drafts.map(({ name }) => name).join(', ')} is a draft itself: release that part first.
				</p>{/if}
			<FormField
				label="Why, or what is new"
				class="block max-w-2xl"
				name="why"
				bind:value={why}
				required
				maxlength={2000}
				autocomplete="off"
			/>
			{#if stranded.length > 0}<Checkbox name="strand" bind:checked={strand} classes={{ div: 'mt-3' }}
					>Release it all the same: the reason above says why these units may be lost</Checkbox
				>{/if}
			<Button type="submit" class="mt-4" disabled={stranded.length > 0 && !strand}
				>Release revision {data.draft.number}</Button
			>
			<span class="quiet ml-3"
				>{#if data.online > 0}{several(data.online, 'unit')} of it {data.online === 1 ? 'is' : 'are'} online: those
					that it changes are behind then, until they are sent it. New ones get it as they come.{:else}Units
					get it as they come.{/if}</span
			>
		</form>
	{/if}
{/if}
