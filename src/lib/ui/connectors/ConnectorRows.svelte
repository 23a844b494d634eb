<script lang="ts">
	import { Button, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import {
		CONNECTOR_VERDICT_WORDS,
		type CellDifference,
		type ConnectorKind,
		type ConnectorVerdict
	} from '$core/connector';
	import { act } from '$ui/forms';
	import { Table } from '$ui/kit';
	import { Standing } from '$ui/marks';

	/** What a source says that is not as it is here, record by record; conflicts are decided at their row. */
	let {
		runId,
		kind,
		rows
	}: {
		runId: string;
		kind: ConnectorKind;
		rows: readonly {
			readonly ordinal: number;
			readonly key: string;
			readonly name: string;
			readonly verdict: ConnectorVerdict;
			readonly thingId: string | null;
			readonly problems: readonly string[];
			readonly differences: readonly CellDifference[];
			readonly takenAt: Date | null;
			/** What it says, of one that is new. */
			readonly says: string;
		}[];
	} = $props();
	const SHAPES = {
		new: 'open',
		changed: 'waiting',
		conflict: 'stuck',
		refused: 'stuck',
		gone: 'cancelled',
		same: 'online'
	} as const;
	const PAGE_OF = {
		sites: (id: string) => `/sites/${id}`,
		positions: (id: string) => `/positions/${id}/preview`,
		units: (id: string) => `/units/${id}`
	} as const;
	const shown = (text: string | null) => (text === null || text === '' ? 'nothing' : text);
</script>

<Table label="What the source says" class="min-w-[46rem]">
	<TableHead
		><TableHeadCell>Record</TableHeadCell><TableHeadCell>It is</TableHeadCell><TableHeadCell
			>What</TableHeadCell
		><TableHeadCell><span class="sr-only">Acts</span></TableHeadCell></TableHead
	>
	<TableBody>
		{#each rows as row (row.ordinal)}<TableBodyRow data-record={row.key}
				><TableBodyCell class="align-top"
					>{#if row.thingId}<a href={PAGE_OF[kind](row.thingId)}>{row.name}</a>{:else}{row.name ||
							'no name'}{/if}<span class="quiet mono block text-sm">{row.key}</span></TableBodyCell
				><TableBodyCell class="align-top"
					>{#if row.takenAt}<Standing standing="through" word="taken over" />{:else}<Standing
							standing={SHAPES[row.verdict]}
							word={CONNECTOR_VERDICT_WORDS[row.verdict]}
						/>{/if}</TableBodyCell
				><TableBodyCell class="align-top"
					>{#if row.says}<p class="quiet">{row.says}</p>{/if}{#each row.problems as problem (problem)}<p>
							{problem}
						</p>{/each}
					{#each row.differences as one (one.what)}<p>
							<b>{one.what}</b>
							{#if one.isConflict}{#if one.before !== null}was {shown(one.before)};{/if} here it is
								<b>{shown(one.here)}</b>, there
								<b>{shown(one.there)}</b>{:else}{shown(one.here)} → {shown(one.there)}{/if}
						</p>{/each}</TableBodyCell
				><TableBodyCell class="align-top"
					>{#if row.verdict === 'conflict' && !row.takenAt}<div class="flex flex-wrap gap-2">
							{#each [['here', 'As it is here'], ['there', 'As it is there']] as [side, label] (side)}<form
									method="POST"
									action="?/decide"
									use:act
								>
									<input type="hidden" name="run" value={runId} />
									<input type="hidden" name="row" value={row.ordinal} />
									<input type="hidden" name="side" value={side} />
									<Button type="submit" size="xs" color="alternative">{label}</Button>
								</form>{/each}
						</div>{/if}</TableBodyCell
				></TableBodyRow
			>{/each}
	</TableBody>
</Table>
