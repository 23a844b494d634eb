<script lang="ts">
	/** What would change at one site: as it is, and as it would be. */
	interface Props {
		differences: readonly { readonly what: string; readonly was: string; readonly now: string }[];
	}
	let { differences }: Props = $props();
	const SHOWN = 12;
</script>

<ul class="text-sm">
	{#each differences.slice(0, SHOWN) as { what, was, now }, index (index)}
		<li>
			<span class="quiet">{what}:</span>
			{#if was}<del class="mono quiet">{was}</del> →{/if}
			<ins class="mono">{now || 'nothing'}</ins>
		</li>
	{/each}
	{#if differences.length > SHOWN}<li class="quiet">and {differences.length - SHOWN} more</li>{/if}
</ul>

<style>
	ins {
		text-decoration: none;
	}
</style>
