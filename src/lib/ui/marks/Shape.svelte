<script lang="ts" module>
	import type { Shown } from './shown';

	const SHAPES: Readonly<Partial<Record<Shown, Shown>>> = {
		'under way': 'moving',
		unproven: 'moving',
		'proof-failed': 'stuck',
		online: 'through',
		stalled: 'stuck',
		retired: 'cancelled',
		empty: 'open'
	};
	const COLOURS: Readonly<Partial<Record<Shown, string>>> = {
		stuck: 'var(--brick)',
		late: 'var(--amber)',
		'not-heard': 'var(--amber)',
		through: 'var(--pine)',
		moving: 'var(--pine)'
	};
	export const shapeOf = (standing: Shown): Shown => SHAPES[standing] ?? standing;
	export const colourOf = (standing: Shown): string => COLOURS[shapeOf(standing)] ?? 'var(--quiet)';
</script>

<script lang="ts">
	/** The one shape of each standing, in a drawing, about 14 units across and around its origin. */
	let { standing }: { standing: Shown } = $props();
	const shape = $derived(shapeOf(standing));
</script>

<g style:color={colourOf(standing)}>
	{#if shape === 'stuck'}
		<path d="M0-7l7 7-7 7-7-7z" fill="currentColor" />
	{:else if shape === 'late'}
		<path d="M-5.5-6.5h11L1.5 0l4 6.5h-11L-1.5 0z" fill="currentColor" />
	{:else if shape === 'through'}
		<circle r="6.5" fill="currentColor" />
	{:else if shape === 'moving'}
		<circle r="5.75" fill="var(--sheet)" stroke="currentColor" stroke-width="1.5" />
		<path d="M0-5.75a5.75 5.75 0 0 0 0 11.5z" fill="currentColor" />
	{:else if shape === 'not-heard'}
		<circle
			r="5.5"
			fill="none"
			stroke="currentColor"
			stroke-width="2"
			stroke-dasharray="27 7.6"
			transform="rotate(-20)"
		/>
	{:else if shape === 'cancelled'}
		<circle r="5.5" fill="none" stroke="currentColor" stroke-width="1.5" />
		<path d="M-6.5 6.5l13-13" stroke="currentColor" stroke-width="1.5" />
	{:else if shape === 'open'}
		<circle r="5.75" fill="var(--sheet)" stroke="currentColor" stroke-width="1.5" stroke-dasharray="2 2.5" />
	{:else}
		<circle r="5.75" fill="var(--sheet)" stroke="currentColor" stroke-width="1.5" />
	{/if}
</g>
