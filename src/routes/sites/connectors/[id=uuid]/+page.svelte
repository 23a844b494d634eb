<script lang="ts">
	import { onMount } from 'svelte';
	import { Button, Clipboard } from 'flowbite-svelte';
	import { CONNECTOR_KIND_WORDS, CONNECTOR_VERDICTS, CONNECTOR_VERDICT_WORDS, ONE_OF } from '$core/connector';
	import { counted } from '$core/text';
	import { ConnectorForm, ConnectorMapping, ConnectorRows, ConnectorStanding } from '$ui/connectors';
	import { act } from '$ui/forms';
	import { MenuAct, MenuLink, Notice, PageHead } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { FormWords } from '$ui/people';

	let { data, form } = $props();
	const connector = $derived(data.connector);
	const isReading = $derived(connector.last?.state === 'waiting');
	onMount(() => refreshOn(['connectors', 'work']));
	const compared = $derived(data.compared);
	const fields = $derived({ connector: connector.id });
	const address = (verdict: string | null) =>
		`/sites/connectors/${connector.id}${verdict ? `?verdict=${verdict}` : ''}`;
	const total = $derived(Object.values(compared?.counts ?? {}).reduce((sum, count) => sum + count, 0));
	const toTake = $derived((compared?.counts.new ?? 0) + (compared?.counts.changed ?? 0));
</script>

<PageHead title={connector.name}>
	{#snippet acts()}
		{#if connector.mapping}<form method="POST" action="?/compare" use:act>
				<input type="hidden" name="connector" value={connector.id} />
				<Button type="submit" size="sm" disabled={isReading}>Compare it now</Button>
			</form>{:else}<form method="POST" action="?/look" use:act>
				<input type="hidden" name="connector" value={connector.id} />
				<Button type="submit" size="sm" disabled={isReading}>Look at its columns</Button>
			</form>{/if}
	{/snippet}
	{#snippet more()}
		{#if connector.mapping}<MenuAct action="?/look" {fields}>Look at its columns again</MenuAct>{/if}
		<MenuLink href="/records?thing={connector.id}">Records of it</MenuLink>
		<MenuAct action="?/end" {fields}>End it</MenuAct>
	{/snippet}
	{#snippet about()}<a href="/sites/connectors">Connectors</a><span
			>{connector.customer}: {CONNECTOR_KIND_WORDS[connector.kind]}, stated by {connector.statedBy}</span
		>{#if connector.url}<span class="mono text-sm break-all">{connector.url}</span>{/if}{/snippet}
</PageHead>
<FormWords {form} />
<div class="mt-3"><ConnectorStanding {connector} /></div>
{#if data.folder}<p class="mt-2 flex flex-wrap items-center gap-2">
		Files for it go into <span class="mono break-all" data-folder>{data.folder}</span>; the newest is read.
		<Clipboard value={data.folder} size="xs" color="alternative"
			>{#snippet children(success)}{success ? 'Copied' : 'Copy'}{/snippet}</Clipboard
		>
	</p>{/if}

{#if compared}
	<h2 class="mt-6">What it says, <When at={compared.endedAt ?? compared.begunAt} /></h2>
	{#if compared.trouble}<Notice kind="careful" class="mt-2">{compared.trouble}</Notice>{/if}
	<nav class="mt-1 flex flex-wrap gap-4" aria-label="Which">
		<a href={address(null)} aria-current={data.verdict === null ? 'true' : undefined}
			>{counted(total, 'record')}</a
		>
		{#each CONNECTOR_VERDICTS as verdict (verdict)}{#if compared.counts[verdict] && verdict !== 'same'}<a
					href={address(verdict)}
					aria-current={data.verdict === verdict ? 'true' : undefined}
					>{compared.counts[verdict]?.toLocaleString('en')} {CONNECTOR_VERDICT_WORDS[verdict]}</a
				>{/if}{/each}
		{#if compared.counts.same}<span class="quiet"
				>{compared.counts.same.toLocaleString('en')} {CONNECTOR_VERDICT_WORDS.same}</span
			>{/if}
	</nav>
	{#if data.rows.length > 0}
		{#if toTake > 0 && compared.open > 0}<form method="POST" action="?/take" use:act class="mt-3">
				<input type="hidden" name="run" value={compared.id} />
				<Button type="submit" size="sm" disabled={isReading}>Take over what is new or changed there</Button>
				<span class="quiet ml-2"
					>{counted(compared.open, ONE_OF[connector.kind])} to look at; comparing changes nothing.</span
				>
			</form>{/if}
		<div class="mt-3"><ConnectorRows runId={compared.id} kind={connector.kind} rows={data.rows} /></div>
		{#if data.hasMore}<p class="mt-2">
				<a href="{address(data.verdict)}{data.verdict ? '&' : '?'}after={data.rows.at(-1)!.ordinal}"
					>More of them</a
				>
			</p>{/if}
	{:else}<p class="sheet mt-3 p-4">
			{data.verdict || data.after > 0
				? 'There is nothing of that kind.'
				: 'All of it is here as it is there.'}
		</p>{/if}
{/if}

{#if data.suggested && connector.seen.length > 0}
	<h2 class="mt-6">Its columns</h2>
	{#key `${connector.edit} ${connector.seen.map(({ heading }) => heading).join()}`}<ConnectorMapping
			{connector}
			suggested={data.suggested}
			targets={data.targets}
		/>{/key}
{/if}

{#if data.runs.length > 0}
	<h2 class="mt-6">How it was read</h2>
	<ul class="sheet mt-2 max-w-4xl" aria-label="Readings">
		{#each data.runs as run (run.id)}<li>
				<When at={run.begunAt} />, {run.askedBy ?? 'by the schedule'}:
				{#if run.state === 'waiting'}being read{:else if run.state === 'failed'}<span
						class="text-[var(--brick)]">{run.trouble}</span
					>{:else if run.isLook}only its columns{:else}{CONNECTOR_VERDICTS.flatMap((verdict) =>
						run.counts[verdict]
							? `${run.counts[verdict]?.toLocaleString('en')} ${CONNECTOR_VERDICT_WORDS[verdict]}`
							: []
					).join(', ')}{/if}
			</li>{/each}
	</ul>
{/if}

<h2 class="mt-6">Change it</h2>
{#key connector.edit}<ConnectorForm {connector} patterns={data.patterns} />{/key}
