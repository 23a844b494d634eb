<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { onMount } from 'svelte';
	import { ASK_KINDS, askKind, type Trial } from '$core/pack';
	import { portTitle } from '$core/plan';
	import { counted } from '$core/text';
	import { act } from '$ui/forms';
	import { FormField, PageHead, Table } from '$ui/kit';
	import { refreshOn } from '$ui/live';
	import { When } from '$ui/marks';
	import { DeviceCertificates, TrialResult } from '$ui/packs';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	onMount(() => refreshOn(['packs', 'units']));
	const { maker } = $derived(data);
	const tried = $derived(
		form && 'trial' in form ? (form as unknown as { trial: Trial; printed: string }) : null
	);
	let asked = $state<(typeof ASK_KINDS)[number]>('version');
	const WAYS = {
		exec: 'one command at a time over SSH',
		shell: 'a command line with prompts, over SSH',
		netconf: 'NETCONF over SSH'
	};
	/** A switch has more of the same kind; the pack names them all. */
	const MOST_PORTS = 6;
	const CHECKS = {
		'iso7064-mod-37-36': 'ISO 7064 mod 37, 36',
		'iso7064-mod-11-10': 'ISO 7064 mod 11, 10',
		none: 'no check character'
	};
</script>

<PageHead title={maker.name}>
	{#snippet state()}<span class="quiet"
			>{maker.version ? `pack ${maker.version}` : 'no pack'} · {counted(maker.units, 'unit')}</span
		>{/snippet}
	{#snippet acts()}
		{#if mayDo('edit profiles')}<Button href="/profiles/makers/load" size="sm">Load another version</Button
			>{/if}
		{#each data.versions.filter(({ isCurrent }) => isCurrent) as { id } (id)}<Button
				href="/profiles/makers/packs/{id}"
				download
				size="sm"
				color="alternative">Download the pack</Button
			>{/each}
	{/snippet}
	{#snippet about()}<span><a href="/profiles/makers">All makers</a></span>{/snippet}
</PageHead>
<FormWords {form} />
{#if !data.pack}
	<p class="sheet mt-4 p-6">
		No pack of this maker is in use, so Limen cannot talk to its units.
		<a href="/profiles/makers/load">Load one.</a>
	</p>
{:else}
	{#if data.pack.notes}<p class="mt-2 max-w-[70ch]">{data.pack.notes}</p>{/if}
	<h2 class="mt-5">Models</h2>
	<div class="mt-2">
		<Table label="Models" class="min-w-[60rem]">
			<TableHead
				><TableHeadCell>Model</TableHeadCell><TableHeadCell>Can be</TableHeadCell><TableHeadCell
					>Configured in</TableHeadCell
				><TableHeadCell>Firmware</TableHeadCell><TableHeadCell>Ports</TableHeadCell><TableHeadCell
					>Serial numbers</TableHeadCell
				><TableHeadCell>Not heard after</TableHeadCell></TableHead
			>
			<TableBody>
				{#each data.pack.models as model (model.id)}
					<TableBodyRow>
						<TableBodyCell class="font-semibold whitespace-nowrap">{model.name}</TableBodyCell>
						<TableBodyCell>{model.roles.join(', ')}</TableBodyCell>
						<TableBodyCell>{model.dialect} dialect</TableBodyCell>
						<TableBodyCell class="mono whitespace-nowrap">{model.firmware}</TableBodyCell>
						<TableBodyCell
							>{#each Object.entries(model.ports).slice(0, MOST_PORTS) as [use, port], index (use)}{index > 0
									? ', '
									: ''}{portTitle(use)}
								<span class="mono whitespace-nowrap">{port}</span
								>{/each}{#if Object.keys(model.ports).length > MOST_PORTS}<span class="quiet"
									>, and {Object.keys(model.ports).length - MOST_PORTS} more</span
								>{/if}</TableBodyCell
						>
						<TableBodyCell
							><span class="mono">{model.serial.template.replace(/[dlac]/g, '•')}</span>
							<span class="quiet">{CHECKS[model.serial.check]}</span></TableBodyCell
						>
						<TableBodyCell>{model.quiet} s</TableBodyCell>
					</TableBodyRow>
				{/each}
			</TableBody>
		</Table>
	</div>

	<section class="sheet mt-6 p-4" aria-label="Ask a unit">
		<h2>Ask a unit</h2>
		{#if data.connected.length === 0}
			<p class="quiet mt-1">None of its units is connected just now.</p>
		{:else}
			<form
				method="POST"
				action="?/ask"
				use:act={() =>
					({ update }) =>
						update({ reset: false })}
				class="mt-2 flex flex-wrap items-end gap-3"
			>
				<FormField label="Unit" kind="select" name="unit"
					>{#each data.connected as unit (unit.id)}<option value={unit.id}>{unit.serial}</option
						>{/each}</FormField
				>
				<FormField label="What" kind="select" name="ask" bind:value={asked}
					>{#each ASK_KINDS as kind (kind)}<option value={kind}>{askKind(kind).words}</option
						>{/each}</FormField
				>
				{#if askKind(asked).about.length > 0}<FormField
						label="Address"
						name="host"
						mono
						maxlength={253}
						required
					/>{/if}
				<Button type="submit" size="sm">Ask</Button>
			</form>
		{/if}
		{#if tried}<TrialResult trial={tried.trial} printed={tried.printed} />{/if}
	</section>

	{#each Object.entries(data.pack.talks) as [name, talk] (name)}
		<h2 class="mt-6">What its units can be asked</h2>
		<p class="quiet">Through “{name}”: {WAYS[talk.transport]}.</p>
		<div class="mt-2">
			<Table label="What its units can be asked">
				<TableHead><TableHeadCell>Asked</TableHeadCell><TableHeadCell>Limen says</TableHeadCell></TableHead>
				<TableBody>
					{#each ASK_KINDS as kind (kind)}
						{@const rule = talk.asks[kind]}
						<TableBodyRow>
							<TableBodyCell>{askKind(kind).words}</TableBodyCell>
							<TableBodyCell
								>{#if rule}{#each rule.say as line, index (index)}<div class="mono">
											{line}
										</div>{/each}{:else}<span class="quiet">cannot be asked</span>{/if}</TableBodyCell
							>
						</TableBodyRow>
					{/each}
				</TableBody>
			</Table>
		</div>
	{/each}

	<h2 class="mt-6">Firmware</h2>
	{#each data.pack.firmware as { line, versions, hasGrammar } (line)}
		<p class="mt-1">
			<span class="mono">{line}</span>:
			{versions.length === 0
				? 'no versions are named'
				: versions.map(({ version }) => version).join(', ')}{hasGrammar
				? '; what it understands is known, so a wrong word is found before anything is sent.'
				: '; what it understands is not known, so nothing is checked before it is sent.'}
		</p>
	{/each}
	<DeviceCertificates {...data.devices} />
{/if}

<h2 class="mt-6">Versions of its pack</h2>
<ul class="mt-1">
	{#each data.versions as version (version.id)}
		<li>
			<a href="/profiles/makers/packs/{version.id}" class="underline" download>{version.version}</a>
			<span class="quiet">loaded <When at={version.loadedAt} /> by {version.loadedBy}</span
			>{#if version.isCurrent}, in use{/if}
		</li>
	{:else}<li class="quiet">None was loaded yet.</li>{/each}
</ul>
