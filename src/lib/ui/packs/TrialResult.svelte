<script lang="ts">
	import { TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from 'flowbite-svelte';
	import type { Trial } from '$core/pack';
	import { counted } from '$core/text';
	import { Notice, Table } from '../kit';

	/** What a pack made of something that a device printed. */
	let { trial, printed = null }: { trial: Trial; printed?: string | null } = $props();
	const MOST_SHOWN = 200;
</script>

<div class="mt-4" aria-live="polite">
	{#if !trial.ok}
		<Notice kind="wrong">{trial.problem}</Notice>
	{:else if 'rows' in trial}
		<h3 class="font-semibold">What the pack reads out of it</h3>
		{#if trial.rows.length === 0}<p>Nothing: no line fits. For what can be many, that may be right.</p>{:else}
			<div class="mt-2">
				<Table label="What the pack reads out of it">
					<TableHead
						>{#each trial.names as name (name)}<TableHeadCell>{name.replaceAll('_', ' ')}</TableHeadCell
							>{/each}</TableHead
					>
					<TableBody>
						{#each trial.rows.slice(0, MOST_SHOWN) as row, index (index)}
							<TableBodyRow
								>{#each trial.names as name (name)}<TableBodyCell class="mono"
										>{row[name] ?? ''}</TableBodyCell
									>{/each}</TableBodyRow
							>
						{/each}
					</TableBody>
				</Table>
			</div>
			{#if trial.rows.length > MOST_SHOWN}<p class="quiet">and {trial.rows.length - MOST_SHOWN} more</p>{/if}
		{/if}
	{:else}
		<h3 class="font-semibold">The configuration as it is compared</h3>
		<p>
			{counted(trial.lines, 'line')} printed{trial.leftOut > 0
				? `, ${trial.leftOut} left out: they stand around it, or change by themselves`
				: ''}.
			{#if trial.strange && trial.strange.length > 0}{counted(trial.strange.length, 'line')} the firmware’s grammar
				does not know.{/if}
		</p>
		{#if trial.strange && trial.strange.length > 0}<ul class="mt-1">
				{#each trial.strange.slice(0, 20) as { line, message }, index (index)}<li>
						Line {line}: {message}
					</li>{/each}
			</ul>{/if}
		<pre class="mono mt-2 max-h-96 overflow-auto p-3">{trial.configuration}</pre>
	{/if}
	{#if printed !== null}
		<details class="mt-3">
			<summary>What it printed, to the letter; secrets are masked</summary>
			<pre class="mono mt-2 max-h-96 overflow-auto p-3">{printed}</pre>
		</details>
	{/if}
</div>
