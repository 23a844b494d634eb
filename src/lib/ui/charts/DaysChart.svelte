<script lang="ts">
	import { line, max, scaleLinear, scaleTime, utcFormat } from 'd3';
	import type { SizeOnDay } from '$core/cohort';
	import { counted } from '$core/text';
	import Stroke from './Stroke.svelte';

	interface DaysLine {
		readonly name: string;
		/** In order of their days. */
		readonly sizes: readonly SizeOnDay[];
		/** Where it is on its way to: the day on which it would be empty. */
		readonly emptyBy?: number | null;
	}
	/** How many there were on each day, a line for each of a few groups, told apart by colour and by stroke. */
	let {
		title,
		lines,
		height = 170
	}: { title: string; lines: readonly DaysLine[]; height?: number } = $props();

	const DAY_MS = 86_400_000;
	const STROKES = [
		{ colour: 'var(--pine)', dash: undefined },
		{ colour: 'var(--amber)', dash: '7 3' },
		{ colour: 'var(--brick)', dash: '2 3' }
	];
	const [LEFT, RIGHT, TOP, BOTTOM] = [34, 26, 10, 22];
	let width = $state(560);
	const days = $derived(
		lines.flatMap(({ sizes, emptyBy }) => [...sizes.map(({ day }) => day), ...(emptyBy ? [emptyBy] : [])])
	);
	const first = $derived(Math.min(...days));
	const last = $derived(Math.max(first + 1, ...days));
	const x = $derived(
		scaleTime([new Date(first * DAY_MS), new Date(last * DAY_MS)], [LEFT, Math.max(LEFT + 40, width - RIGHT)])
	);
	const y = $derived(
		scaleLinear(
			[0, Math.max(1, max(lines, ({ sizes }) => max(sizes, ({ units }) => units)) ?? 1)],
			[height - BOTTOM, TOP]
		).nice(4)
	);
	const at = (day: number) => x(new Date(day * DAY_MS));
	const path = $derived(
		line<SizeOnDay>(
			({ day }) => at(day),
			({ units }) => y(units)
		)
	);
	const counts = $derived(y.ticks(4).filter(Number.isInteger));
	const ticks = $derived(
		x.ticks(Math.max(2, Math.floor(width / 110))).filter((tick) => tick.getTime() % DAY_MS === 0)
	);
	const label = utcFormat('%-d %b');
</script>

<figure bind:clientWidth={width}>
	<figcaption class="flex flex-wrap items-baseline gap-x-5">
		<span class="quiet">{title}</span>
		{#each lines as { name, sizes }, index (name)}<span class="whitespace-nowrap"
				><Stroke {...STROKES[index]!} />
				{name}: <b>{sizes.at(-1)?.units ?? 0}</b></span
			>{/each}
	</figcaption>
	<svg
		{width}
		{height}
		viewBox="0 0 {width} {height}"
		role="img"
		aria-label="{title} {counted(last - first, 'day')}."
	>
		{#each counts as count (count)}
			<line x1={LEFT} x2={x.range()[1]} y1={y(count)} y2={y(count)} class="grid" />
			<text x={LEFT - 6} y={y(count) + 4} text-anchor="end">{count}</text>
		{/each}
		{#each ticks as tick (tick.getTime())}<text x={x(tick)} y={height - 5} text-anchor="middle"
				>{label(tick)}</text
			>{/each}
		{#each lines as { name, sizes, emptyBy }, index (name)}
			{@const end = sizes.at(-1)}
			<path
				d={path(sizes as SizeOnDay[])}
				fill="none"
				stroke={STROKES[index]!.colour}
				stroke-width="2"
				stroke-dasharray={STROKES[index]!.dash}
			/>
			{#if end}<circle cx={at(end.day)} cy={y(end.units)} r="3.5" fill={STROKES[index]!.colour} />
				{#if emptyBy}<line
						x1={at(end.day)}
						x2={at(emptyBy)}
						y1={y(end.units)}
						y2={y(0)}
						class="ahead"
					/>{/if}{/if}
		{/each}
	</svg>
</figure>

<style>
	svg {
		max-width: 100%;
	}
	.grid {
		stroke: var(--hairline);
	}
	.ahead {
		stroke: var(--quiet);
		stroke-dasharray: 2 4;
	}
	text {
		font-size: 11.5px;
		fill: var(--quiet);
	}
</style>
