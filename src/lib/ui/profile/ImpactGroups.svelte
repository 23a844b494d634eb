<script lang="ts">
	import type { Change } from '$core/profile';
	import ChangedLines from './ChangedLines.svelte';

	interface Named {
		readonly id: string;
		readonly name: string;
		readonly siteName: string;
	}
	/** What changes, by equal change: its lines, and where. `address`: where one position is looked at. */
	let {
		groups,
		address
	}: {
		groups: readonly {
			readonly change: Change;
			readonly count: number;
			readonly sites: number;
			readonly named: readonly Named[];
		}[];
		address: (position: Named) => string;
	} = $props();
	const several = (number: number, one: string, many = `${one}s`) => `${number} ${number === 1 ? one : many}`;
</script>

<div class="mt-4 space-y-4">
	{#each groups as { change, count: all, sites, named }, index (index)}
		{#if change.kind !== 'same'}
			<section class="sheet p-4" data-group={change.kind}>
				<h2>
					{several(sites, 'site')}{#if sites !== all}, {several(all, 'position')}{/if}:
					{#if change.kind === 'changed'}{several(change.lines, 'line')}{:else if change.kind === 'mended'}can
						be computed at last{:else}<span class="text-[var(--brick)]">{change.message}</span>{/if}
				</h2>
				{#if change.kind === 'changed'}
					<ChangedLines hunks={change.hunks} label="Lines that change" />
					{#if all > 1}<p class="quiet mt-1">
							As at {named[0]!.siteName}; the others differ in their own values only.
						</p>{/if}
				{/if}
				<details class="mt-2" open={all <= 3}>
					<summary class="cursor-pointer">Where</summary>
					<ul class="mt-1 columns-2 md:columns-3">
						{#each named as position (position.id)}<li>
								<a href={address(position)}>{position.siteName} {position.name}</a>
							</li>{/each}
					</ul>
					{#if all > named.length}<p class="quiet">And {all - named.length} more.</p>{/if}
				</details>
			</section>
		{/if}
	{/each}
</div>
