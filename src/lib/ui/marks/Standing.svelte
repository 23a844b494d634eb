<script lang="ts">
	/** A standing, told by shape and word first, colour second. */
	type Shown =
		| 'open'
		| 'empty'
		| 'waiting'
		| 'moving'
		| 'under way'
		| 'slow'
		| 'stuck'
		| 'through'
		| 'online'
		| 'cancelled'
		| 'retired';
	let {
		standing,
		word = standing,
		bare = false
	}: { standing: Shown; word?: string; bare?: boolean } = $props();

	const shape = $derived(
		standing === 'under way'
			? 'moving'
			: standing === 'online'
				? 'through'
				: standing === 'retired'
					? 'cancelled'
					: standing === 'open' || standing === 'empty'
						? 'open'
						: standing
	);
	const colour = $derived(
		shape === 'stuck'
			? 'var(--brick)'
			: shape === 'slow'
				? 'var(--amber)'
				: shape === 'through' || shape === 'moving'
					? 'var(--pine)'
					: 'var(--quiet)'
	);
</script>

<span class="standing" style:color={colour}>
	<svg viewBox="0 0 16 16" width="14" height="14" aria-hidden="true">
		{#if shape === 'stuck'}
			<path d="M8 1l7 7-7 7-7-7z" fill="currentColor" />
		{:else if shape === 'slow'}
			<path d="M2.5 1.5h11L9.5 8l4 6.5h-11L6.5 8z" fill="currentColor" />
		{:else if shape === 'through'}
			<circle cx="8" cy="8" r="6.5" fill="currentColor" />
		{:else if shape === 'moving'}
			<circle cx="8" cy="8" r="5.75" fill="none" stroke="currentColor" stroke-width="1.5" />
			<path d="M8 2.25a5.75 5.75 0 0 0 0 11.5z" fill="currentColor" />
		{:else if shape === 'cancelled'}
			<circle cx="8" cy="8" r="5.5" fill="none" stroke="currentColor" stroke-width="1.5" />
			<path d="M2 14L14 2" stroke="currentColor" stroke-width="1.5" />
		{:else if shape === 'open'}
			<circle
				cx="8"
				cy="8"
				r="5.75"
				fill="none"
				stroke="currentColor"
				stroke-width="1.5"
				stroke-dasharray="2 2.5"
			/>
		{:else}
			<circle cx="8" cy="8" r="5.75" fill="none" stroke="currentColor" stroke-width="1.5" />
		{/if}
	</svg>
	{#if bare}<span class="sr-only">{word}</span>{:else}<span>{word}</span>{/if}
</span>

<style>
	.standing {
		display: inline-flex;
		align-items: center;
		gap: 0.4em;
		white-space: nowrap;
		font-weight: 600;
		vertical-align: bottom;
	}
</style>
