<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Table } from '../kit';
	import { act } from '$ui/forms';
	import { ConfigText } from '$ui/config';
	import { mayDo } from '$ui/people';
	import type { Preview } from '$lib/server/profile';
	import RenderedText from './RenderedText.svelte';

	/** What one position gets, and why: every line with its origin, every value with where it was given. */
	let {
		preview,
		positionName,
		positionId,
		customerId,
		line = null,
		brief = false,
		isCompared = false,
		revealed = null
	}: {
		preview: Preview;
		positionName: string;
		positionId: string;
		customerId: string;
		/** The line to look at first. */
		line?: number | null;
		/** It is compared already, beside it. */
		isCompared?: boolean;
		/** Only what it would get, without ways to other pages. */
		brief?: boolean;
		revealed?: { readonly name: string; readonly value: string } | null | undefined;
	} = $props();
	/** What was revealed is shown; what somebody opened stays open when the page is loaded anew. */
	let valuesShown = $state(false);
	$effect(() => {
		if (revealed) valuesShown = true;
	});

	const SOURCES: Record<string, string> = {
		profile: 'given in the profile',
		customer: 'given for the customer',
		site: 'given at the site',
		position: 'given at the position',
		formula: 'computed',
		otherwise: 'the part’s own'
	};
	const byName = $derived(new Map(preview.values.map((value) => [value.name, value])));
	const sourceOf = (field: string) =>
		SOURCES[byName.get(field)?.source ?? ''] ?? (field.includes('.') ? 'known to Limen' : '');
	const whereToGive = (field: string, scope: string) =>
		scope === 'profile'
			? `/profiles/${preview.profileId}`
			: `/values?position=${positionId}&field=${field}${scope === 'customer' ? '&all=1' : ''}`;
	const where = ({ piece, line }: Preview['problems'][number]) =>
		[piece, line === null ? null : `line ${line}`].filter(Boolean).join(', ');
</script>

{#if !brief}
	<p class="quiet">
		{#if mayDo('see profiles')}<a href="/profiles/{preview.profileId}">{preview.profileName}</a
			>{:else}{preview.profileName}{/if}, revision {preview.revisionNumber ?? '–'}{#if preview.targetVersion},
			firmware {preview.targetVersion}{/if}{#if preview.modelName},
			{preview.isBound ? 'for model' : 'as model'}
			{preview.modelName}{preview.isBound ? '' : ' would get it'}{/if}
		{#if !isCompared}·
			<a href="/positions/{positionId}/preview">Compare</a
			>{/if}{#if preview.isBound && mayDo('edit profiles')}&nbsp;· <a
				href="/profiles/parts/from-text?position={positionId}">Make a part of it</a
			>{/if}
	</p>
{/if}
{#if preview.stranding.length > 0}
	<div class="sheet mt-2 border-l-4 border-l-[var(--brick)] p-4" role="alert">
		<p class="font-semibold text-[var(--brick)]">It would strand the unit, and is not sent.</p>
		<ul class="mt-1 list-disc pl-5">
			{#each preview.stranding as words (words)}<li>{words}</li>{/each}
		</ul>
	</div>
{/if}
{#if preview.risks.length > 0}
	<div class="sheet mt-2 border-l-4 border-l-[var(--amber)] p-3">
		<ul class="list-disc pl-5">
			{#each preview.risks as words (words)}<li>{words}</li>{/each}
		</ul>
	</div>
{/if}
{#if preview.ok}
	<RenderedText
		lines={preview.lines}
		begin={line}
		parts={!brief && mayDo('see profiles') ? preview.parts : {}}
		label="Configuration of {positionName}"
		{sourceOf}
	/>
{:else}
	<div class="sheet mt-2 p-4" role="alert">
		<p class="font-semibold text-[var(--brick)]">
			It cannot be computed yet; a unit that calls now would get nothing.
		</p>
		<ul class="mt-2 list-disc pl-5">
			{#each preview.problems as problem, index (index)}<li>
					{problem.message}
					{#if where(problem)}<span class="quiet">({where(problem)})</span>{/if}
					{#if problem.field && problem.scope && mayDo('set values', customerId)}
						<a href={whereToGive(problem.field, problem.scope)}>Give it at the {problem.scope}</a>
					{/if}
				</li>{/each}
		</ul>
	</div>
{/if}
{#if preview.beside.length > 0 && !brief}
	<details class="mt-4">
		<summary class="cursor-pointer font-semibold"
			>Scripts, checks and files that go with it ({preview.beside.length})</summary
		>
		{#each preview.beside as { name, text } (name)}
			<h3 class="mt-2 font-semibold">{name}</h3>
			<ConfigText {text} label={name} />
		{/each}
	</details>
{/if}
{#if !brief}<details class="mt-4" bind:open={valuesShown}>
		<summary class="cursor-pointer font-semibold">Values and where they are given</summary>

		<Table classes={{ div: 'mt-2' }}>
			<TableHead
				><TableHeadCell>Field</TableHeadCell><TableHeadCell>Value</TableHeadCell><TableHeadCell
					>Given</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each preview.values as value (value.name)}<TableBodyRow
						><TableBodyCell class="mono" title={value.description}>{value.name}</TableBodyCell><TableBodyCell
							class="mono"
							>{#if value.secret && revealed?.name === value.name}{revealed.value}{:else}{value.value}{/if}
							{#if value.secret && mayDo('reveal secret', customerId)}
								<form method="POST" action="?/reveal&position={positionId}" use:act class="inline">
									<input type="hidden" name="position" value={positionId} />
									<input type="hidden" name="name" value={value.name} />
									<button class="cursor-pointer text-[var(--pine)] underline">Reveal</button>
								</form>{/if}</TableBodyCell
						><TableBodyCell
							>{SOURCES[value.source] ?? value.source}{#each value.instead as other (other.scope)}<div
									class="quiet"
								>
									instead of {other.value}, {SOURCES[other.scope]}
								</div>{/each}</TableBodyCell
						></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
	</details>
{/if}
