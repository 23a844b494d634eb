<script lang="ts">
	import {
		Checkbox,
		TableBody,
		TableBodyCell,
		TableBodyRow,
		TableHead,
		TableHeadCell
	} from 'flowbite-svelte';
	import { Table } from '../kit';
	import { momentOf, Standing } from '../marks';

	/** Handovers as a list: what each says, and its files. */
	interface Row {
		readonly id: string;
		readonly number: number;
		readonly siteId: string;
		readonly siteName: string;
		readonly customerName: string;
		readonly timeZone: string;
		readonly madeAt: Date;
		readonly madeBy: string;
		readonly acceptedBy: string;
		readonly state: 'held' | 'failed';
		readonly openPoints: number;
	}
	interface Props {
		rows: readonly Row[];
		/** Without a column for the site. */
		ofSite?: boolean;
		/** Ids of those that are chosen, where they can be. */
		chosen?: string[] | null;
	}
	let { rows, ofSite = false, chosen = $bindable(null) }: Props = $props();
	const toggle = (id: string, is: boolean) =>
		(chosen = is ? [...(chosen ?? []), id] : (chosen ?? []).filter((one) => one !== id));
</script>

<Table classes={{ div: 'mt-3' }}>
	<TableHead>
		{#if chosen}<TableHeadCell><span class="sr-only">Chosen</span></TableHeadCell>{/if}
		{#if !ofSite}<TableHeadCell>Site</TableHeadCell>{/if}
		<TableHeadCell>Handed over</TableHeadCell>
		<TableHeadCell>By</TableHeadCell>
		<TableHeadCell>Accepted by</TableHeadCell>
		<TableHeadCell>Proof</TableHeadCell>
		<TableHeadCell>Files</TableHeadCell>
	</TableHead>
	<TableBody>
		{#each rows as row (row.id)}
			<TableBodyRow data-handover={row.number}>
				{#if chosen}<TableBodyCell
						><Checkbox
							aria-label="Choose handover {row.number} of {row.siteName}"
							checked={chosen.includes(row.id)}
							onchange={(event: Event) => toggle(row.id, (event.currentTarget as HTMLInputElement).checked)}
						/></TableBodyCell
					>{/if}
				{#if !ofSite}<TableBodyCell
						><a href="/sites/{row.siteId}">{row.siteName}</a>
						<span class="quiet block">{row.customerName}</span></TableBodyCell
					>{/if}
				<TableBodyCell
					>{momentOf(row.madeAt, row.timeZone)} <span class="quiet">number {row.number}</span></TableBodyCell
				>
				<TableBodyCell>{row.madeBy}</TableBodyCell>
				<TableBodyCell>{row.acceptedBy}</TableBodyCell>
				<TableBodyCell
					><Standing
						standing={row.state === 'held' ? 'through' : 'stuck'}
						word={row.state === 'held' ? 'held' : 'did not hold'}
					/>
					{#if row.openPoints > 0}<span class="quiet block"
							>{row.openPoints} open {row.openPoints === 1 ? 'point' : 'points'}</span
						>{/if}</TableBodyCell
				>
				<TableBodyCell
					><span class="flex flex-wrap gap-x-3">
						<a href="/handovers/{row.id}/handover.pdf" target="_blank">PDF</a>
						<a href="/handovers/{row.id}/handover.json">JSON</a>
						<a href="/handovers/zip?id={row.id}" data-sveltekit-reload>All, with seals</a>
					</span></TableBodyCell
				>
			</TableBodyRow>
		{/each}
	</TableBody>
</Table>
