<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import type { Mapping } from '$core/connector';
	import { Form, FormField, Table } from '$ui/kit';

	/** Which of a source's columns is which of ours, with a few of its cells to tell by. */
	let {
		connector,
		suggested,
		targets
	}: {
		connector: {
			readonly id: string;
			readonly edit: number;
			readonly mapping: Mapping | null;
			readonly seen: readonly { readonly heading: string; readonly samples: readonly string[] }[];
		};
		suggested: Mapping;
		targets: readonly string[];
	} = $props();
	const named = $derived(connector.seen.filter(({ heading }) => heading !== ''));
	const items = $derived(targets.map((to) => ({ value: to, name: to })));
	const chosen = (heading: string) => suggested.columns.find(({ from }) => from === heading)?.to ?? '';
</script>

<Form action="?/map" stays class="mt-2">
	{#snippet children({ busy })}
		<input type="hidden" name="connector" value={connector.id} />
		<input type="hidden" name="edit" value={connector.edit} />
		<Table label="Columns of the source" class="min-w-[40rem]">
			<TableHead
				><TableHeadCell>There</TableHeadCell><TableHeadCell>Such as</TableHeadCell><TableHeadCell
					>Here</TableHeadCell
				></TableHead
			>
			<TableBody>
				{#each named as { heading, samples } (heading)}<TableBodyRow data-heading={heading}
						><TableBodyCell class="mono break-all"
							>{heading}<input type="hidden" name="from" value={heading} /></TableBodyCell
						><TableBodyCell class="quiet max-w-xs truncate">{samples.join(' · ') || 'empty'}</TableBodyCell
						><TableBodyCell
							><FormField
								label="What “{heading}” is"
								bare
								kind="select"
								name="to"
								none="left out"
								{items}
								stored={chosen(heading)}
							/></TableBodyCell
						></TableBodyRow
					>{/each}
			</TableBody>
		</Table>
		<div class="mt-3 flex flex-wrap items-end gap-3">
			<FormField
				label="Tells the records apart"
				kind="select"
				name="key"
				stored={suggested.key}
				items={named.map(({ heading }) => ({ value: heading, name: heading }))}
			/>
			<Button type="submit" size="sm" disabled={busy}
				>{connector.mapping ? 'Change the columns' : 'Choose these'}</Button
			>
		</div>
		<p class="quiet mt-2">A record is known again by that column, whatever else of it changes.</p>
	{/snippet}
</Form>
