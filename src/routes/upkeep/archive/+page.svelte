<script lang="ts">
	import {
		Button,
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { counted } from '$core/text';
	import { UpkeepRooms } from '$ui/drift';
	import { act } from '$ui/forms';
	import { FormField, PageHead, Table } from '$ui/kit';
	import { Serial, When } from '$ui/marks';
	import { FormWords, mayDo } from '$ui/people';

	let { data, form } = $props();
	const found = $derived(data.found);
	const zipHref = $derived(
		found ? `/upkeep/archive/zip?${found.versions.map(({ id }) => `version=${id}`).join('&')}` : ''
	);
	const READS = [
		{ value: 'daily', name: 'every day' },
		{ value: 'weekly', name: 'every week' },
		{ value: 'never', name: 'only when something happens' }
	];
</script>

<PageHead title="Archive">
	{#snippet about()}<UpkeepRooms />{/snippet}
</PageHead>
<FormWords {form} />

<form method="GET" class="sheet mt-3 flex flex-wrap items-end gap-4 p-4">
	<FormField
		label="Who has this in what they run?"
		hint="A word, an address, or several of one line."
		name="words"
		mono
		stored={data.words}
		class="min-w-64 grow"
		autocomplete="off"
		spellcheck="false"
	/>
	<Checkbox name="ever" checked={data.everything}>in earlier versions too</Checkbox>
	<Button type="submit" size="sm">Show</Button>
</form>

{#if found}
	{#if found.versions.length === 0}
		<p class="sheet mt-4 p-6">
			{data.everything ? 'No version that is kept has' : 'No unit runs'} a line with
			<b class="mono">{data.words}</b>.
			{#if !data.everything}Tick <b>in earlier versions too</b> to look further back.{/if}
		</p>
	{:else}
		<p class="mt-4 flex flex-wrap items-baseline gap-x-4">
			<b
				>{data.everything
					? counted(found.versions.length, 'version')
					: counted(found.versions.length, 'unit')}</b
			>
			{#if !found.isAll}<span class="quiet">the latest of them; a word more finds fewer</span>{/if}
			<a href={zipHref} download data-sveltekit-reload>take these away as a ZIP</a>
		</p>
		<Table classes={{ div: 'mt-2' }}>
			<TableHead
				><TableHeadCell>Where</TableHeadCell><TableHeadCell>Unit</TableHeadCell><TableHeadCell
					>Version</TableHeadCell
				><TableHeadCell>Lines</TableHeadCell></TableHead
			>
			<TableBody>
				{#each found.versions as version (version.id)}
					<TableBodyRow
						><TableBodyCell
							>{version.siteName
								? `${version.siteName}, ${version.positionName}`
								: 'in no place'}</TableBodyCell
						><TableBodyCell
							><a href="/units/{version.unitId}/versions?version={version.number}"
								><Serial serial={version.serial} /></a
							></TableBodyCell
						><TableBodyCell
							>{version.number}{version.isNewest ? ', runs it' : ''}<span class="quiet"
								>, <When at={version.at} /></span
							></TableBodyCell
						><TableBodyCell class="mono"
							>{#each version.lines as { line, text } (line)}<span class="block whitespace-pre-wrap"
									><span class="quiet">{line}</span> {text.trim()}</span
								>{/each}</TableBodyCell
						></TableBodyRow
					>
				{/each}
			</TableBody>
		</Table>
	{/if}
{/if}

<section class="mt-6">
	<h2>How it is kept</h2>
	{#if !data.rule}
		<p class="quiet mt-1">
			Configurations are read every day, when a unit comes back, and after each send. 50 versions of each are
			kept for two years; pinned ones, the newest, and those that a handover refers to always. Choose a
			customer above to change this for it.
		</p>
	{:else if mayDo('plan sites', data.customerId)}
		<form method="POST" action="?/rule" use:act class="sheet mt-2 flex flex-wrap items-end gap-4 p-4">
			<FormField label="Read" kind="select" name="reads" stored={data.rule.reads} items={READS} />
			<FormField
				label="Versions of each unit"
				kind="number"
				name="keepVersions"
				min={2}
				max={10000}
				stored={data.rule.keepVersions}
				class="w-40"
			/>
			<FormField
				label="Days"
				kind="number"
				name="keepDays"
				min={7}
				max={36500}
				stored={data.rule.keepDays}
				class="w-32"
			/>
			<FormField
				label="Held units put back an hour"
				kind="number"
				name="holdAnHour"
				min={1}
				max={1000}
				stored={data.rule.holdAnHour}
				class="w-56"
			/>
			<Button type="submit" size="sm" color="alternative">Keep it so</Button>
			<p class="quiet basis-full">
				Pinned versions, the newest, and those that a handover refers to are always kept.
			</p>
		</form>
	{:else}
		<p class="quiet mt-1">
			Read {READS.find(({ value }) => value === data.rule!.reads)?.name}; {data.rule.keepVersions} versions of each
			unit are kept, for {data.rule.keepDays} days.
		</p>
	{/if}
</section>
