<script lang="ts">
	import {
		Accordion,
		AccordionItem,
		Button,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { PageHead, Table } from '$ui/kit';
	import { act } from '$ui/forms';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	const gigabytes = (octets: number) => (octets / 1e9).toLocaleString('en', { maximumFractionDigits: 1 });
	const failed = $derived(data.tasks.reduce((sum, task) => sum + task.failed, 0));
</script>

<PageHead title="How Limen runs">
	{#snippet state()}{#if failed + data.letters.length > 0}<span class="font-semibold text-[var(--brick)]"
				>{failed} given up</span
			>{:else}<span class="quiet">nothing is given up</span>{/if}{/snippet}
</PageHead>
<FormWords {form} />

<h2 class="mt-4">Work beside the requests</h2>
{#if data.tasks.length === 0}<p class="quiet mt-2">Nothing waits, and nothing is being done.</p>
{:else}
	<Table classes={{ div: 'mt-2' }}>
		<TableHead
			><TableHeadCell>What</TableHeadCell><TableHeadCell>Waiting</TableHeadCell><TableHeadCell
				>Under way</TableHeadCell
			><TableHeadCell>To be tried again</TableHeadCell><TableHeadCell>Given up</TableHeadCell><TableHeadCell
				>Oldest due since</TableHeadCell
			></TableHead
		>
		<TableBody>
			{#each data.tasks as task (task.task)}
				<TableBodyRow
					><TableBodyCell>{task.task}</TableBodyCell><TableBodyCell>{task.waiting}</TableBodyCell
					><TableBodyCell>{task.running}</TableBodyCell><TableBodyCell>{task.retrying}</TableBodyCell
					><TableBodyCell>{task.failed}</TableBodyCell><TableBodyCell
						>{#if task.oldest}<When at={task.oldest} />{:else}<span class="quiet">nothing is due</span
							>{/if}</TableBodyCell
					></TableBodyRow
				>
			{/each}
		</TableBody>
	</Table>
{/if}

{#if data.troubled.length > 0}
	<h2 class="mt-5">What failed</h2>
	<ul class="sheet mt-2">
		{#each data.troubled as job (job.id)}
			<li class="flex flex-wrap items-start gap-x-4 gap-y-1 p-3">
				<div class="min-w-0 grow">
					<b>{job.task}</b>
					<span class="quiet"
						>tried {job.attempts} of {job.of} times, since <When at={job.since} />{#if job.next}, next <When
								at={job.next}
							/>{:else}, given up{/if}</span
					>
					<p class="mono text-sm break-words">{job.error}</p>
				</div>
				<form method="POST" action="?/job" use:act>
					<input type="hidden" name="job" value={job.id} />
					<Button type="submit" size="sm" color="alternative">Try it again</Button>
				</form>
			</li>
		{/each}
	</ul>
{/if}

{#if data.unheard.length > 0}
	<h2 class="mt-5">Webhooks that are not heard</h2>
	<ul class="sheet mt-2">
		{#each data.unheard as { id, name, trouble } (id)}<li class="p-3">
				<p><a href="/people/webhooks/{id}">{name}</a>: {trouble}</p>
			</li>{/each}
	</ul>
{/if}

{#if data.letters.length > 0}
	<h2 class="mt-5">Letters that nobody got</h2>
	<ul class="sheet mt-2">
		{#each data.letters as letter (letter.id)}
			<li class="flex flex-wrap items-start gap-x-4 gap-y-1 p-3">
				<div class="min-w-0 grow">
					<b>{letter.subject}</b>
					<span class="quiet">to {letter.to}, given up <When at={letter.givenUpAt} /></span>
					<p class="mono text-sm break-words">{letter.problem}</p>
				</div>
				<form method="POST" action="?/letter" use:act>
					<input type="hidden" name="letter" value={letter.id} />
					<Button type="submit" size="sm" color="alternative">Send it again</Button>
				</form>
			</li>
		{/each}
	</ul>
{/if}

<h2 class="mt-5">Processes</h2>
<ul class="mt-2">
	{#each data.processes as one (one.id)}<li>
			{one.name}
			<span class="quiet">since <When at={one.startedAt} />, last beat <When at={one.heartbeatAt} /></span>
		</li>{/each}
</ul>

<h2 class="mt-5">Room on the disk</h2>
<p class="mt-2">
	<span class={data.room.isScarce ? 'font-semibold text-[var(--brick)]' : ''}
		>{gigabytes(data.room.free)} GB</span
	>
	of
	{gigabytes(data.room.all)} GB are free{data.room.isScarce
		? ': make room. When it is full nothing can be kept.'
		: '.'}
</p>

<Accordion flush class="mt-5">
	<AccordionItem transitionType="none">
		{#snippet header()}What is removed by itself, and when{/snippet}
		<dl>
			{#each data.cleanUps as one (one.what)}
				<dt class="font-semibold">{one.what}</dt>
				<dd class="quiet mb-2">{one.why}</dd>
			{/each}
		</dl>
	</AccordionItem>
</Accordion>
