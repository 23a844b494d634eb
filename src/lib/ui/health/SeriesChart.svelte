<script lang="ts">
	import { area, line, max, min, scaleLinear } from 'd3';
	import {
		figureKind,
		figureWords,
		summed,
		unbroken,
		type Figure,
		type Grain,
		type Point,
		type Span
	} from '$core/health';
	import { exactly } from '$core/text';
	import { Stroke } from '../charts';
	import { timeMarks } from '../charts';

	/**
	 * Figures over time: a line for each of a few, with the range between its least and its most; where nothing is known,
	 * nothing is drawn. Dragging across it looks nearer. The table of the same page is its text.
	 */
	export interface ChartLine {
		readonly id: string;
		readonly name: string;
		readonly points: readonly Point[];
	}
	interface Props {
		title: string;
		figure: Figure;
		lines: readonly ChartLine[];
		span: Span;
		grain: Grain;
		zone: string;
		/** Planned interruptions, and others, behind the lines. */
		away?: readonly (Span & { readonly planned: string })[];
		height?: number;
		onzoom?: (span: Span) => void;
	}
	let { title, figure, lines, span, grain, zone, away = [], height = 150, onzoom }: Props = $props();

	const STROKES = [
		{ colour: 'var(--pine)', dash: undefined },
		{ colour: 'var(--amber)', dash: '7 3' },
		{ colour: 'var(--brick)', dash: '2 3' },
		{ colour: 'var(--quiet)', dash: undefined },
		{ colour: 'var(--pine)', dash: '2 2' },
		{ colour: 'var(--amber)', dash: '12 3 2 3' }
	];
	const [LEFT, RIGHT, TOP, BOTTOM] = [62, 10, 8, 22];
	let width = $state(480);
	const kind = $derived(figureKind(figure));
	const x = $derived(scaleLinear([span.from, span.to], [LEFT, Math.max(LEFT + 40, width - RIGHT)]));
	const bounds = $derived.by((): [number, number] => {
		if (kind.unit === '%') return [0, 100];
		const low = min(lines, ({ points }) => min(points, (point) => point.min)) ?? 0;
		const high = max(lines, ({ points }) => max(points, (point) => point.max)) ?? 1;
		return kind.unit === '°C' || kind.unit === 'dBm' ? [low - 2, high + 2] : [0, high || 1];
	});
	const y = $derived(scaleLinear(bounds, [height - BOTTOM, TOP]).nice(4));
	const shape = $derived(
		line<Point>(
			({ at }) => x(at),
			({ mean }) => y(mean)
		)
	);
	const range = $derived(
		area<Point>(
			({ at }) => x(at),
			({ min: low }) => y(low),
			({ max: high }) => y(high)
		)
	);
	const drawn = $derived(
		lines.map(({ points, ...one }) => ({ ...one, points, pieces: unbroken(points, grain) }))
	);
	const marks = $derived(timeMarks(span.from, span.to, width - LEFT - RIGHT, zone));

	/** Where the pointer is, and where a drag began. */
	let pointed = $state<number | null>(null);
	let dragged = $state<number | null>(null);
	const NEAREST_DRAG = 8;
	const instantAt = (event: PointerEvent): number => {
		const { left } = (event.currentTarget as SVGSVGElement).getBoundingClientRect();
		return Math.min(span.to, Math.max(span.from, x.invert(event.clientX - left)));
	};
	function released(event: PointerEvent) {
		const [from, to] = [dragged, instantAt(event)];
		dragged = null;
		if (from !== null && onzoom && Math.abs(x(from) - x(to)) >= NEAREST_DRAG)
			onzoom({ from: Math.round(Math.min(from, to)), to: Math.round(Math.max(from, to)) });
	}
	/** What the lines say where the pointer is; else what they came to. */
	const nearest = (points: readonly Point[], at: number): Point | null => {
		const found = points.reduce<Point | null>(
			(best, point) => (best === null || Math.abs(point.at - at) < Math.abs(best.at - at) ? point : best),
			null
		);
		return found && Math.abs(x(found.at) - x(at)) < 30 ? found : null;
	};
	const said = $derived(
		drawn.map(({ points }) => {
			const value = pointed === null ? summed(points)?.mean : nearest(points, pointed)?.mean;
			return value === undefined ? 'not known' : figureWords(figure, value);
		})
	);
</script>

<figure bind:clientWidth={width} class="min-w-0">
	<figcaption class="flex flex-wrap items-baseline gap-x-4">
		<span class="font-semibold">{title}</span>
		{#each drawn as { id, name }, index (id)}<span class="whitespace-nowrap" data-line={name}
				><Stroke {...STROKES[index]!} />
				{name} <b class="tabular-nums">{said[index]}</b></span
			>{/each}
		<span class="quiet ml-auto">{pointed === null ? 'on average' : exactly(new Date(pointed), zone)}</span>
	</figcaption>
	<svg
		{width}
		{height}
		viewBox="0 0 {width} {height}"
		role="img"
		aria-label="{title} {drawn.map(({ name }, index) => `${name}: ${said[index]}`).join(', ')}."
		class={onzoom ? 'cursor-crosshair touch-pan-y' : ''}
		onpointermove={(event) => (pointed = instantAt(event))}
		onpointerleave={() => (pointed = dragged = null)}
		onpointerdown={(event) => (dragged = instantAt(event))}
		onpointerup={released}
	>
		{#each away as { from, to, planned } (from)}<rect
				x={x(Math.max(span.from, from))}
				width={Math.max(1.5, x(Math.min(span.to, to)) - x(Math.max(span.from, from)))}
				y={TOP}
				height={height - BOTTOM - TOP}
				class={planned === '' ? 'away' : 'planned'}
				><title>{planned === '' ? 'Away' : `Away: ${planned}`}, from {exactly(new Date(from), zone)}</title
				></rect
			>{/each}
		{#each y.ticks(3) as tick (tick)}
			<line x1={LEFT} x2={x.range()[1]} y1={y(tick)} y2={y(tick)} class="grid" />
			<text x={LEFT - 6} y={y(tick) + 4} text-anchor="end">{figureWords(figure, tick)}</text>
		{/each}
		{#each marks as { at, words } (at)}<text
				x={Math.min(x(at), width - 24)}
				y={height - 5}
				text-anchor="middle">{words}</text
			>{/each}
		{#each drawn as { id, pieces }, index (id)}
			{#each pieces as piece (piece[0]!.at)}
				{#if grain !== 'reading' && lines.length <= 3}<path
						d={range(piece)}
						fill={STROKES[index]!.colour}
						class="range"
					/>{/if}
				{#if piece.length === 1}<circle
						cx={x(piece[0]!.at)}
						cy={y(piece[0]!.mean)}
						r="1.8"
						fill={STROKES[index]!.colour}
					/>
				{:else}<path
						d={shape(piece)}
						fill="none"
						stroke={STROKES[index]!.colour}
						stroke-width="1.7"
						stroke-dasharray={STROKES[index]!.dash}
					/>{/if}
			{/each}
		{/each}
		{#if pointed !== null}<line
				x1={x(pointed)}
				x2={x(pointed)}
				y1={TOP}
				y2={height - BOTTOM}
				class="pointed"
			/>{/if}
		{#if dragged !== null && pointed !== null}<rect
				x={Math.min(x(dragged), x(pointed))}
				width={Math.abs(x(dragged) - x(pointed))}
				y={TOP}
				height={height - BOTTOM - TOP}
				class="dragged"
			/>{/if}
	</svg>
</figure>

<style>
	svg {
		max-width: 100%;
		user-select: none;
	}
	.grid {
		stroke: var(--hairline);
	}
	.pointed {
		stroke: var(--quiet);
		stroke-dasharray: 2 3;
	}
	.range {
		opacity: 0.14;
	}
	.dragged {
		fill: var(--marigold);
		opacity: 0.3;
	}
	.away {
		fill: var(--brick);
		opacity: 0.18;
	}
	.planned {
		fill: var(--quiet);
		opacity: 0.18;
	}
	text {
		font-size: 11.5px;
		fill: var(--quiet);
	}
</style>
