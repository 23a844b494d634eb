<script lang="ts">
	interface Concerned {
		readonly count: number;
		readonly named: readonly { readonly siteName: string; readonly name: string }[];
	}
	/** What of a change could cut units off. */
	let {
		stranded,
		uplink
	}: { stranded: readonly (Concerned & { readonly words: string })[]; uplink: Concerned | null } = $props();
	const several = (number: number, one: string, many = `${one}s`) => `${number} ${number === 1 ? one : many}`;
	const listed = ({
		named,
		count
	}: {
		named: readonly { siteName: string; name: string }[];
		count: number;
	}) =>
		`${named.map(({ siteName, name }) => `${siteName} ${name}`).join(', ')}${count > named.length ? ' …' : ''}`;
</script>

{#if stranded.length > 0}
	<section class="sheet mt-3 border-l-4 border-l-[var(--brick)] p-4" role="alert">
		<h2 class="text-[var(--brick)]">Units would be stranded</h2>
		{#each stranded as group (group.words)}
			<p class="mt-1">
				<b>{several(group.count, 'position')}</b>: {group.words}
				<span class="quiet">{listed(group)}</span>
			</p>
		{/each}
	</section>
{/if}
{#if uplink && uplink.count > 0}
	<section class="sheet mt-3 border-l-4 border-l-[var(--marigold)] p-4">
		<h2>The uplink itself would change at {several(uplink.count, 'position')}</h2>
		<p class="mt-1">
			What is wrong there cuts a unit off from everything. Read these lines twice, and try them at one site
			first: {listed(uplink)}
		</p>
	</section>
{/if}
