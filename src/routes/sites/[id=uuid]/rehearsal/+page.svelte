<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { counted } from '$core/text';
	import { NOT_MODELLED, rehearsalWords } from '$core/watch';
	import { Notice, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { lasting, Serial, Standing, When } from '$ui/marks';
	import { RunAhead } from '$ui/rehearsal';

	let { data } = $props();
	onMount(() => refreshOn(['plan', 'units', 'profiles', 'images', 'packs']));

	const rehearsal = $derived(data.rehearsal);
	const isDone = $derived(
		rehearsal !== null && rehearsal.units.length > 0 && rehearsal.units.every(({ isOnline }) => isOnline)
	);
	const revisions = $derived(
		(rehearsal?.saw.revisions ?? [])
			.map(({ profile, number, isDraft }) => `${profile} ${isDraft ? 'draft ' : ''}${number}`)
			.join(', ')
	);
	const STEPS: Readonly<Record<string, string>> = {
		calling: 'calls',
		identity: 'identity',
		firmware: 'firmware',
		configuration: 'configuration',
		proof: 'proof'
	};
</script>

<PageHead title="Rehearsal of {data.site.name}">
	{#snippet state()}
		{#if !rehearsal || rehearsal.units.length === 0}<Standing standing="open" word="nothing to rehearse" />
		{:else if rehearsal.problems.length > 0}<Standing standing="stuck" word="would not come online" />
		{:else if isDone}<Standing standing="through" word="online" />
		{:else}<Standing standing="through" word="would come online" />{/if}
	{/snippet}
	{#snippet acts()}
		<Button href="/sites/{data.site.id}" size="sm" color="alternative">The site</Button>
	{/snippet}
	{#snippet about()}
		<span>{data.site.customerName}</span>
		{#if rehearsal}<span
				>as everything stood <When at={rehearsal.saw.at} />{revisions ? `: ${revisions}` : ''}</span
			>{/if}
	{/snippet}
</PageHead>
{#if !rehearsal}
	<p class="sheet mt-4 p-6" role="alert">
		This takes too long to compute, or too much memory. Look at <a href="/sites/{data.site.id}"
			>its positions</a
		>: one of their texts may go round too often.
	</p>
{:else if rehearsal.units.length === 0}
	<p class="sheet mt-4 p-6">
		This site has no positions yet. Plan some at <a href="/sites/{data.site.id}">the site</a>, and see here
		what would come of them.
	</p>
{:else}
	{#if rehearsal.problems.length === 0}
		<p class="mt-3 text-lg">
			{rehearsalWords(rehearsal)}{#if rehearsal.seconds && !isDone}&nbsp;Eight of ten times between {lasting(
					rehearsal.seconds.soonest
				)} and {lasting(rehearsal.seconds.latest)}.{/if}
		</p>
	{:else}
		<section class="mt-4" aria-label="What would go wrong">
			<h2>What would go wrong</h2>
			<ul class="sheet problems mt-2">
				{#each rehearsal.problems as problem, index (index)}
					<li>
						<div>
							<p><b>{problem.position}</b>, {STEPS[problem.step] ?? problem.step}: {problem.words}</p>
							{#if problem.behind}<p class="quiet">
									Line {problem.behind.line} of {problem.behind.name}, revision {problem.behind
										.revision}{problem.field ? `, by the value of “${problem.field}”` : ''}
								</p>{:else if problem.field}<p class="quiet">By the value of “{problem.field}”</p>{/if}
							{#if problem.checks.length > 1}<p class="quiet">
									So {counted(problem.checks.length, 'check')} of its proof would fail: {problem.checks.join(
										', '
									)}
								</p>{/if}
						</div>
						<a href={problem.mend.href}>{problem.mend.words}</a>
					</li>
				{/each}
			</ul>
		</section>
	{/if}
	{#if !isDone}
		<div class="sheet mt-4 p-4">
			<RunAhead units={rehearsal.units} />
			<Table class="mt-3">
				<TableHead>
					<TableHeadCell>Position</TableHeadCell>
					<TableHeadCell>Unit</TableHeadCell>
					<TableHeadCell>What it would go through</TableHeadCell>
				</TableHead>
				<TableBody>
					{#each rehearsal.units as unit (unit.positionId)}
						<TableBodyRow>
							<TableBodyCell class="font-semibold"
								><a href="/sites/{data.site.id}?position={unit.positionId}">{unit.name}</a></TableBodyCell
							>
							<TableBodyCell
								>{#if unit.serial}<Serial serial={unit.serial} />{:else}<span class="quiet"
										>not known yet</span
									>{/if}</TableBodyCell
							>
							<TableBodyCell class="whitespace-normal"
								>{#if unit.isOnline}online already{/if}{#each unit.steps as step, index (step.step)}{index > 0
										? ', '
										: ''}{STEPS[step.step]}{step.words && !step.isStopped ? ` ${step.words}` : ''}
									{#if step.isStopped}<b class="text-[var(--brick)]">stops</b>{:else}<span class="quiet"
											>{lasting(step.seconds)}</span
										>{/if}{/each}</TableBodyCell
							>
						</TableBodyRow>
					{/each}
				</TableBody>
			</Table>
		</div>
	{/if}
	{#if rehearsal.remarks.length > 0}<Notice kind="careful">
			{#each rehearsal.remarks as remark (remark.words)}<p>
					{remark.words} <a href={remark.mend.href}>{remark.mend.words}</a>
				</p>{/each}
		</Notice>{/if}
	<div class="beside mt-4">
		{#if rehearsal.assumed.length > 0}<section>
				<h2>Taken to be so</h2>
				<ul>
					{#each rehearsal.assumed as words (words)}<li>{words}</li>{/each}
				</ul>
			</section>{/if}
		<section>
			<h2>Not looked at</h2>
			<ul>
				{#each NOT_MODELLED as words (words)}<li>{words}</li>{/each}
				{#each rehearsal.unmodelled as words (words)}<li>The check “{words}”.</li>{/each}
			</ul>
		</section>
	</div>
{/if}

<style>
	.problems li {
		display: grid;
		grid-template-columns: minmax(0, 1fr) auto;
		gap: 0.3rem 1.5rem;
		border-left: 4px solid var(--brick);
	}
	.beside {
		display: grid;
		grid-template-columns: repeat(auto-fit, minmax(min(24rem, 100%), 1fr));
		gap: 1.5rem;
	}
	.beside ul {
		padding-left: 1.1rem;
		list-style: disc;
	}
	@media (max-width: 640px) {
		.problems li {
			grid-template-columns: minmax(0, 1fr);
		}
	}
</style>
