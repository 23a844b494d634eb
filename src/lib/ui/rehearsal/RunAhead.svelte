<script lang="ts">
	import { scaleLinear } from 'd3';
	import type { RehearsedUnit } from '$core/watch';
	import { lasting } from '../marks';

	/** When would each unit be where? A row for each, a bar for each step, by the middle of how long it takes. */
	interface Props {
		units: readonly RehearsedUnit[];
	}
	let { units }: Props = $props();

	let width = $state(640);
	const [ROW, TOP, NAMES] = [26, 6, 112];
	const own = (unit: RehearsedUnit) => unit.steps.reduce((sum, { seconds }) => sum + seconds, 0);
	const front = $derived(
		Math.max(0, ...units.filter((unit) => !unit.isBehind && unit.steps.length > 0).map(own))
	);
	const rows = $derived(
		units
			.filter(({ steps }) => steps.length > 0)
			.map((unit) => {
				let at = unit.isBehind ? front : 0;
				return {
					...unit,
					bars: unit.steps.map((step) => {
						const from = at;
						at += step.seconds;
						return { ...step, from, to: at };
					})
				};
			})
	);
	const last = $derived(Math.max(1, ...rows.map(({ bars }) => bars.at(-1)!.to)));
	const x = $derived(scaleLinear([0, last], [NAMES, width - 14]));
	const ticks = $derived(x.ticks(width < 500 ? 3 : 6));
	const height = $derived(TOP + rows.length * ROW + 22);
</script>

<figure bind:clientWidth={width}>
	<figcaption class="quiet">When would each unit be where?</figcaption>
	<svg
		{width}
		{height}
		viewBox="0 0 {width} {height}"
		role="img"
		aria-label="When would each unit be where? The table says it in words."
	>
		{#each ticks as tick (tick)}
			<line x1={x(tick)} x2={x(tick)} y1={TOP} y2={height - 20} stroke="var(--hairline)" />
			<text x={x(tick)} y={height - 6} text-anchor="middle">{tick === 0 ? 'power' : lasting(tick)}</text>
		{/each}
		{#each rows as row, index (row.positionId)}
			<text x="0" y={TOP + index * ROW + 17} class="name">{row.name}</text>
			{#each row.bars as bar (bar.step)}
				<rect
					x={x(bar.from)}
					y={TOP + index * ROW + 5}
					width={Math.max(1, x(bar.to) - x(bar.from) - 1)}
					height={ROW - 10}
					class={bar.step}
					class:stopped={bar.isStopped}
				>
					<title>{row.name}: {bar.step}, about {lasting(bar.seconds)}</title>
				</rect>
				{#if bar.isStopped}<path
						d="M{x(bar.to) - 5},{TOP + index * ROW + 8}l10,10m0,-10l-10,10"
						stroke="var(--brick)"
						stroke-width="2.5"
					/>{/if}
			{/each}
		{/each}
	</svg>
</figure>

<style>
	/* Before its width is measured */
	svg {
		max-width: 100%;
	}
	figure {
		min-width: 0;
	}
	text {
		font-size: 0.78rem;
		fill: var(--quiet);
	}
	.name {
		fill: var(--ink);
		font-weight: 600;
	}
	rect {
		fill: var(--pine);
		opacity: 0.35;
	}
	rect.identity {
		opacity: 0.5;
	}
	rect.firmware {
		opacity: 0.8;
	}
	rect.configuration {
		opacity: 0.6;
	}
	rect.proof {
		opacity: 1;
	}
	rect.stopped {
		fill: var(--brick);
		opacity: 0.5;
	}
</style>
