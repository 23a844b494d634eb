<script lang="ts" module>
	export interface Outlook {
		readonly positions: readonly {
			readonly name: string;
			readonly profileName: string;
			readonly values: readonly { readonly name: string; readonly value: string }[];
		}[];
		readonly missing: readonly { readonly position: string | null; readonly words: string }[];
	}
</script>

<script lang="ts">
	/** What a site that is being planned is given, and what it will still lack. */
	let { outlook, open = false }: { outlook: Outlook; open?: boolean } = $props();
	const count = $derived(outlook.positions.reduce((sum, { values }) => sum + values.length, 0));
</script>

{#if outlook.missing.length > 0}<div class="font-semibold text-[var(--amber)]">Still missing</div>
	<ul class="list-[square] pl-4 marker:text-[var(--amber)]" aria-label="Still missing">
		{#each outlook.missing as lack, index (index)}<li>
				{lack.position ? `${lack.position}: ` : ''}{lack.words}
			</li>{/each}
	</ul>{:else}<div class="font-semibold text-[var(--pine)]">Complete: nothing is missing.</div>{/if}
{#if outlook.positions.length > 0}<details {open} class="mt-1">
		<summary class="cursor-pointer">The values it gets ({count})</summary>
		{#each outlook.positions as { name, profileName, values } (name)}
			<p class="mt-1"><b>{name}</b> <span class="quiet">{profileName}</span></p>
			<dl class="facts">
				{#each values as value (value.name)}<dt class="mono">{value.name}</dt>
					<dd class="mono">{value.value}</dd>{/each}
			</dl>
		{/each}
	</details>{/if}
