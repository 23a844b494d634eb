<script lang="ts">
	import { FormField, PageHead } from '$ui/kit';
	import { onMount } from 'svelte';
	import { Button, Checkbox, Progressbar } from 'flowbite-svelte';
	import { act } from '$ui/forms';
	import { refreshOn } from '$ui/live';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['profiles'], { mayBeBehind: () => impact?.state === 'working' }));

	const impact = $derived(data.impact);
	const groups = $derived(impact?.result?.groups ?? []);
	const stranded = $derived(impact?.result?.stranded ?? []);
	const uplink = $derived(impact?.result?.uplink);
	const count = (kind: string) =>
		groups.reduce((sum, group) => sum + (group.change.kind === kind ? group.count : 0), 0);
	const listed = ({
		named,
		count
	}: {
		named: readonly { siteName: string; name: string }[];
		count: number;
	}) =>
		`${named.map(({ siteName, name }) => `${siteName} ${name}`).join(', ')}${count > named.length ? ' …' : ''}`;
	const several = (number: number, one: string, many = `${one}s`) => `${number} ${number === 1 ? one : many}`;
	const percent = $derived(impact && impact.total > 0 ? Math.round((impact.done / impact.total) * 100) : 0);
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
		{#if stranded.length > 0}
			<section class="sheet mt-3 border-l-4 border-l-[var(--brick)] p-4" role="alert">
				<h2 class="text-[var(--brick)]">Units would be stranded</h2>
				{#each stranded as group (group.words)}
					<p class="mt-1">
						<b>{several(group.count, 'position')}</b>: {group.words}
						<span class="quiet">{listed(group)}</span>
					</p>
				{/each}
			</section>
		{/if}
		{#if uplink && uplink.count > 0}
			<section class="sheet mt-3 border-l-4 border-l-[var(--marigold)] p-4">
				<h2>The uplink itself would change at {several(uplink.count, 'position')}</h2>
				<p class="mt-1">
					What is wrong there cuts a unit off from everything. Read these lines twice, and try them at one
					site first: {listed(uplink)}
				</p>
			</section>
		{/if}
		{#if data.beside.length > 0}
			<section class="sheet mt-3 p-4" aria-label="Beside the configuration">
				<h2>Beside the configuration, at every position</h2>
				{#each data.beside as { words, removed, added } (words)}
					<p class="mt-2 font-semibold">{words}</p>
					<!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls must be reached by the keyboard) -->
					<div class="config-text mt-1" tabindex="0" role="region" aria-label={words}>
						{#each removed as line, n (n)}<div class="gone"><i>was</i><span>{line}</span></div>{/each}
						{#each added as line, n (n)}<div class="new"><i>is</i><span>{line}</span></div>{/each}
					</div>
				{/each}
			</section>
		{/if}
		<div class="mt-4 space-y-4">
			{#each groups as { change, count: all, sites, named }, index (index)}
				{#if change.kind !== 'same'}
					<section class="sheet p-4" data-group={change.kind}>
						<h2>
							{several(sites, 'site')}{#if sites !== all}, {several(all, 'position')}{/if}:
							{#if change.kind === 'changed'}{several(
									change.lines,
									'line'
								)}{:else if change.kind === 'mended'}can be computed at last{:else}<span
									class="text-[var(--brick)]">{change.message}</span
								>{/if}
						</h2>
						{#if change.kind === 'changed'}
							<!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls must be reached by the keyboard) -->
							<div class="config-text mt-2" tabindex="0" role="region" aria-label="Lines that change">
								{#each change.hunks as hunk, at (at)}
									<div class="quiet">line {hunk.at}</div>
									{#each hunk.removed as line, n (n)}<div class="gone">
											<i>was</i><span>{line}</span>
										</div>{/each}
									{#each hunk.added as line, n (n)}<div class="new"><i>is</i><span>{line}</span></div>{/each}
								{/each}
							</div>
							{#if all > 1}<p class="quiet mt-1">
									As at {named[0]!.siteName}; the others differ in their own values only.
								</p>{/if}
						{/if}
						<details class="mt-2" open={all <= 3}>
							<summary class="cursor-pointer">Where</summary>
							<ul class="mt-1 columns-2 md:columns-3">
								{#each named as position (position.id)}<li>
										<a href="/positions/{position.id}/preview?draft=1">{position.siteName} {position.name}</a>
									</li>{/each}
							</ul>
							{#if all > named.length}<p class="quiet">And {all - named.length} more.</p>{/if}
						</details>
					</section>
				{/if}
			{/each}
		</div>
		<form method="POST" use:act class="sheet mt-5 p-4">
			<input type="hidden" name="edit" value={impact.edit} />
			{#if drafts.length > 0}<p class="text-[var(--brick)]">
					{drafts.map(({ name }) => name).join(', ')} is a draft itself: release that part first.
				</p>{/if}
			<FormField
				label="Why, or what is new"
				class="block max-w-2xl"
				name="why"
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

<style>
	.config-text {
		max-height: 22rem;
		white-space: normal;
	}
	.config-text div {
		display: flex;
		width: max-content;
		min-width: 100%;
	}
	.config-text span {
		white-space: pre;
	}
	.config-text i {
		flex: none;
		width: 3rem;
		font-style: normal;
		color: var(--quiet);
	}
	.gone {
		background: color-mix(in srgb, var(--brick) 12%, transparent);
	}
	.new {
		background: var(--chosen);
	}
</style>
