<script lang="ts">
	import {
		isBad,
		rowsIn,
		toMendIn,
		VERDICT_WORDS as WORDS,
		type BatchCounts,
		type ShownVerdict,
		type Verdict
	} from '$core/intake';
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import { Table } from '../kit';
	import { Serial } from '$ui/marks';
	import { MARKS } from './words';

	/** What came of a batch that was just taken in, row by row, what needs somebody first; and repairs that are offered. */
	interface Row {
		readonly line: number;
		readonly raw: string;
		readonly serial: string;
		readonly verdict: Verdict;
		readonly reason: string;
		readonly unitId: string | null;
		readonly modelName: string | null;
		readonly repairs: readonly string[];
		readonly bound: { readonly ok: boolean | null; readonly words: string } | null;
	}
	interface Props {
		outcome: {
			readonly batchId: string;
			readonly counts: BatchCounts;
			readonly rows: readonly Row[];
			readonly above: readonly string[];
			readonly passedOver: readonly string[];
			readonly given: number;
			readonly bound: number;
			readonly binding: { readonly id: string; readonly count: number } | null;
			readonly held: number;
			readonly unbound: number;
			readonly remark: string | null;
		};
		/** The list as it stands in the field: what is not in it any more is not repaired there. */
		text: string;
		/** Changes whenever the registries may have said more. */
		waits: unknown;
		/** What the makers' registries refused. */
		refusedUnits: readonly { readonly id: string; readonly words: string }[];
		onrepair: (raw: string, wrong: string, right: string) => void;
	}
	let { outcome, text, waits, refusedUnits, onrepair }: Props = $props();

	/** How far the makers are with the batch that was just taken in: asked for anew whenever something changed. */
	interface Progress {
		readonly counts: BatchCounts;
		readonly waiting: readonly string[];
	}
	let progress = $state.raw<Progress | null>(null);
	const { batchId } = $derived(outcome);
	$effect(() => {
		void waits;
		let left = false;
		void fetch(`/intake/${batchId}/progress`)
			.then((answer) => (answer.ok ? answer.json() : null))
			.catch(() => null)
			.then((found: Progress | null) => {
				if (!left && found) progress = found;
			});
		return () => void (left = true);
	});
	const asked = $derived(new Set(progress?.waiting ?? []));
	const refused = $derived(new Map(refusedUnits.map(({ id, words }) => [id, words])));
	/** What came of a row by now: the makers' registries answer after it was taken in. */
	function standing(row: { verdict: Verdict; reason: string; unitId: string | null }) {
		const words = row.unitId === null ? undefined : refused.get(row.unitId);
		const verdict: ShownVerdict =
			words !== undefined ? 'registry-refused' : row.unitId && asked.has(row.unitId) ? 'asked' : row.verdict;
		return { verdict, reason: words ?? row.reason, wrong: words !== undefined || isBad(row.verdict) };
	}

	const counts = $derived(progress?.counts ?? outcome.counts);
	/** What needs somebody first. */
	const rows = $derived.by(() => {
		const wrong = new Set(outcome.rows.filter((row) => standing(row).wrong));
		return [...wrong, ...outcome.rows.filter((row) => !wrong.has(row))];
	});
	const firstToFix = $derived(rows.find((one) => one.repairs.length > 0 && text.includes(one.raw)));
	const total = $derived(rowsIn(counts));
	const toMend = $derived(toMendIn(counts));

	/** One key takes the first repair that is offered. */
	function fixFirst(event: KeyboardEvent) {
		const target = event.target as HTMLElement | null;
		if (event.key !== 'f' || event.ctrlKey || event.metaKey || event.altKey) return;
		if (target?.closest('input, textarea, select')) return;
		if (firstToFix) onrepair(firstToFix.raw, firstToFix.serial, firstToFix.repairs[0]!);
	}
</script>

<svelte:window onkeydown={fixFirst} />
<div class="flex flex-wrap items-baseline justify-between gap-3">
	<h2>
		{counts.claimed} of {total} claimed{#if counts.asked > 0}, {counts.asked} asked of the makers{/if}{#if counts['already-ours'] + counts.repeated > 0},
			{counts['already-ours'] + counts.repeated} there already{/if}{#if toMend > 0},
			<span class="text-[var(--brick)]">{toMend} to mend</span>{/if}{#if outcome.bound > 0}, {outcome.bound} bound{/if}{#if outcome.binding},
			<a href="/work/{outcome.binding.id}">{outcome.binding.count} being bound</a>{/if}{#if outcome.held > 0},
			{outcome.held} to approve{/if}{#if outcome.unbound > 0},
			<span class="text-[var(--brick)]">{outcome.unbound} not bound</span>{/if}
	</h2>
	<span class="flex gap-4"
		><a href="/intake/{outcome.batchId}">This batch</a>
		<a href="/intake/{outcome.batchId}/file" download>CSV</a>
		<a href="/intake/{outcome.batchId}/file?as=xlsx" download>XLSX</a></span
	>
</div>
{#if counts.asked > 0}<label class="mt-1 block"
		><span class="sr-only">Confirmed by the makers</span><progress
			max={counts.asked + counts.claimed + counts['registry-refused']}
			value={counts.claimed + counts['registry-refused']}
			class="block w-full"
		></progress></label
	>{/if}
{#if outcome.remark}<p class="mt-1">{outcome.remark}</p>{/if}
{#if outcome.above.length > 0}<p class="quiet mt-1">
		Read as {outcome.above.length === 1 ? 'headings' : 'what stands above the units'}: {outcome.above.join(
			' / '
		)}
	</p>{/if}
{#if outcome.passedOver.length > 0}<p class="quiet mt-1">
		Not read as units: {outcome.passedOver.join(' / ')}
	</p>{/if}

<Table classes={{ div: 'mt-2' }}>
	<TableHead
		><TableHeadCell>Line</TableHeadCell><TableHeadCell>Serial number</TableHeadCell><TableHeadCell
			>Outcome</TableHeadCell
		></TableHead
	>
	<TableBody>
		{#each rows as row, index (index)}
			{@const now = standing(row)}
			<TableBodyRow data-verdict={now.verdict}>
				<TableBodyCell class="quiet">{row.line}</TableBodyCell>
				<TableBodyCell
					>{#if row.unitId}<a href="/units/{row.unitId}"><Serial serial={row.serial} /></a>{:else}<Serial
							serial={row.serial.slice(0, 24)}
						/>{/if}{#if row.modelName}<div class="quiet text-sm">
							{row.modelName}
						</div>{/if}</TableBodyCell
				>
				<TableBodyCell>
					<span class:bad={now.wrong} class="font-semibold">{MARKS[now.verdict]} {WORDS[now.verdict]}</span>
					{#if now.reason}<div>{now.reason}</div>{/if}
					{#if row.bound}<div class:bad={row.bound.ok === false}>{row.bound.words}</div>{/if}
					{#each row.repairs as right (right)}
						<div class="mt-1">
							<button type="button" class="link" onclick={() => onrepair(row.raw, row.serial, right)}
								>Use <Serial serial={right} /></button
							>{#if row === firstToFix && right === row.repairs[0]}
								<span class="quiet ms-2">or press <kbd>f</kbd></span>{/if}
						</div>
					{/each}
				</TableBodyCell>
			</TableBodyRow>
		{/each}
	</TableBody>
</Table>

{#if outcome.given > rows.length}<p class="quiet mt-1">
		The first {rows.length} are shown, what is to mend first.
	</p>{/if}

<style>
	.bad {
		color: var(--brick);
	}
</style>
