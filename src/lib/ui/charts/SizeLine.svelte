<script lang="ts">
	import { line, max, scaleLinear } from 'd3';
	import type { SizeOnDay } from '$core/cohort';
	import { counted } from '$core/text';

	/** How many there were on each day, as one line; the last is marked. */
	let { sizes, label }: { sizes: readonly SizeOnDay[]; label: string } = $props();
	const [WIDTH, HEIGHT] = [260, 44];
	const x = $derived(
		scaleLinear(
			[sizes[0]?.day ?? 0, Math.max((sizes[0]?.day ?? 0) + 1, sizes.at(-1)?.day ?? 0)],
			[3, WIDTH - 6]
		)
	);
	const y = $derived(scaleLinear([0, Math.max(1, max(sizes, ({ units }) => units) ?? 1)], [HEIGHT - 4, 6]));
	const path = $derived(
		line<SizeOnDay>(
			({ day }) => x(day),
			({ units }) => y(units)
		)(sizes as SizeOnDay[])
	);
	const last = $derived(sizes.at(-1));
</script>

<svg
	width={WIDTH}
	height={HEIGHT}
	viewBox="0 0 {WIDTH} {HEIGHT}"
	role="img"
	aria-label="{label}: {counted(sizes.length, 'day')}"
>
	<line x1="0" x2={WIDTH} y1={HEIGHT - 4} y2={HEIGHT - 4} stroke="var(--hairline)" />
	{#if path}<path d={path} fill="none" stroke="var(--pine)" stroke-width="1.5" />{/if}
	{#if last}<circle cx={x(last.day)} cy={y(last.units)} r="3" fill="var(--pine)" />{/if}
</svg>
