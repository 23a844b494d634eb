<script lang="ts">
	import { line, curveStepAfter, scaleLinear, scaleLog } from 'd3';
	import { survivalAt, type Curve } from '$core/watch';
	import { lasting } from '../marks';

	/**
	 * How long does it take? The share of runs that are still at it after so long: a falling line, with half, late and
	 * stalled, and where one run stands in it. The table beside it is its text.
	 */
	interface Props {
		title: string;
		curve: Curve;
		/** In seconds. */
		median: number;
		late: number;
		stalled: number;
		/** For how long one run has been at it, or was. */
		lasted?: number | null;
		height?: number;
	}
	let { title, curve, median, late, stalled, lasted = null, height = 120 }: Props = $props();

	let width = $state(420);
	const [TOP, BOTTOM, SIDE] = [16, 22, 8];
	const first = $derived(Math.max(0.1, Math.min(curve.times[0] ?? median, median, lasted || median) / 1.6));
	const last = $derived(Math.max(stalled, lasted ?? 0, curve.times.at(-1) ?? 0) * 1.15);
	const x = $derived(scaleLog([first, Math.max(first * 2, last)], [SIDE, width - SIDE]).clamp(true));
	const y = $derived(scaleLinear([0, 1], [height - BOTTOM, TOP]));
	const points = $derived<[number, number][]>([
		[first, 1],
		...curve.times.map((time, index): [number, number] => [time, curve.survival[index]!]),
		[last, curve.survival.at(-1) ?? 1]
	]);
	const path = $derived(
		line<[number, number]>(
			([time]) => x(time),
			([, share]) => y(share)
		).curve(curveStepAfter)(points)
	);
	const marks = $derived(
		[
			{ at: median, word: 'half' },
			{ at: late, word: 'late' },
			{ at: stalled, word: 'stalled' }
		].map((mark, index, all) => ({
			...mark,
			x: x(mark.at),
			anchor: x(mark.at) > width - 40 ? ('end' as const) : ('middle' as const),
			// Words that would touch stand apart
			end: index === 0 || x(mark.at) - x(all[index - 1]!.at) > 46
		}))
	);
</script>

<figure bind:clientWidth={width}>
	<figcaption class="quiet">{title}</figcaption>
	<svg
		{width}
		{height}
		viewBox="0 0 {width} {height}"
		role="img"
		aria-label="{title} Half within {lasting(median)}, nine of ten within {lasting(late)}."
	>
		<line x1={SIDE} x2={width - SIDE} y1={y(0)} y2={y(0)} stroke="var(--hairline)" />
		{#each marks as mark (mark.word)}
			<line x1={mark.x} x2={mark.x} y1={TOP} y2={y(0)} class={mark.word} stroke-dasharray="3 3" />
			{#if mark.end}<text x={mark.x} y={TOP - 5} text-anchor={mark.anchor}>{mark.word}</text>
				<text x={mark.x} y={height - 7} text-anchor={mark.anchor}>{lasting(mark.at)}</text>{/if}
		{/each}
		<path d={path} fill="none" stroke="var(--pine)" stroke-width="2" />
		{#if lasted !== null}<circle
				cx={x(Math.max(first, lasted))}
				cy={y(survivalAt(curve, lasted))}
				r="5"
				fill="var(--marigold)"
				stroke="var(--ink)"
			/>{/if}
	</svg>
</figure>

<style>
	/* Before its width is measured */
	svg {
		max-width: 100%;
	}
	line {
		stroke: var(--quiet);
	}
	line.late {
		stroke: var(--amber);
	}
	line.stalled {
		stroke: var(--brick);
	}
	text {
		font-size: 11.5px;
		fill: var(--quiet);
	}
</style>
