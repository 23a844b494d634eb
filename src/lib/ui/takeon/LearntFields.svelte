<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Table } from '../kit';
	import type { ShownField } from '$core/takeon';
	import { counted } from '$core/text';

	/** The fields that were learnt, each with what it is across the units. */
	interface Props {
		fields: readonly ShownField[];
		units: number;
		/** Somebody wants one otherwise; null where nobody may. */
		onchange: ((field: ShownField) => void) | null;
	}
	let { fields, units, onchange }: Props = $props();
	const FEW_SHOWN = 3;
</script>

<Table classes={{ div: 'mt-1' }}>
	<TableHead
		><TableHeadCell>Field</TableHeadCell><TableHeadCell>What it is</TableHeadCell><TableHeadCell
			>Given</TableHeadCell
		>{#if onchange}<TableHeadCell><span class="sr-only">Change</span></TableHeadCell>{/if}</TableHead
	>
	<TableBody>
		{#each fields as field (field.name)}<TableBodyRow data-field={field.name}
				><TableBodyCell
					><span class="mono font-semibold">{field.name}</span><br /><span class="quiet"
						>{field.about}: {field.type}</span
					></TableBodyCell
				><TableBodyCell class="wrap"
					>{#if field.isSecret}{counted(field.different, 'secret')}, kept sealed{:else}{#each field.values.slice(0, FEW_SHOWN) as { value, units: count } (value)}<span
								class="mono mr-3 inline-block max-w-full"
								>{value}{#if count > 1}<span class="quiet">&nbsp;× {count}</span>{/if}</span
							>{/each}{#if field.different > FEW_SHOWN}<span class="quiet"
								>and {field.different - FEW_SHOWN} more</span
							>{/if}{/if}</TableBodyCell
				><TableBodyCell class="wrap"
					>{#if field.formula !== null}follows: <span class="mono">{field.formula}</span>{:else}at each {field.scope}{#if field.fallback !== null},
							else <span class="mono">{field.fallback}</span>{/if}{/if}</TableBodyCell
				>{#if onchange}<TableBodyCell
						><Button
							size="xs"
							color="alternative"
							onclick={() => onchange(field)}
							aria-label="Change {field.name}">Change</Button
						></TableBodyCell
					>{/if}</TableBodyRow
			>{/each}
	</TableBody>
</Table>
<p class="quiet mt-1">{counted(fields.length, 'field')} across {counted(units, 'unit')}.</p>

<style>
	:global(td.wrap, td.wrap .mono) {
		white-space: normal;
		overflow-wrap: anywhere;
	}
</style>
