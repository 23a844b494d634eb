<script lang="ts">
	import { max, scalePoint, scaleSqrt } from 'd3';
	import { RUN_STEPS, type RunStep } from '$core/onboarding';

	/** Where the arrivals are now: one disc per step, its area the number of units; each leads to its list. */
	let {
		counts,
		chosen,
		hrefOf
	}: {
		counts: Readonly<Record<RunStep, number>>;
		chosen: string | null;
		hrefOf: (at: string | null) => string;
	} = $props();

	/** In pixels; it is drawn as wide as there is room. Where that is little, every other name stands lower. */
	let width = $state(1240);
	const NARROW = 640;
	const narrow = $derived(width < NARROW);
	const HEIGHT = 96;
	const MIDDLE = 42;
	const edge = $derived(narrow ? 34 : 60);
	const x = $derived(scalePoint<RunStep>([...RUN_STEPS], [edge, width - edge]));
	const radius = $derived(
		scaleSqrt([0, Math.max(4, max(RUN_STEPS, (step) => counts[step]) ?? 0)], [0, narrow ? 22 : 34])
	);
</script>

<figure bind:clientWidth={width}>
	<figcaption class="quiet">Where are they now?</figcaption>
	<svg
		{width}
		height={HEIGHT + (narrow ? 14 : 0)}
		viewBox="0 0 {width} {HEIGHT + (narrow ? 14 : 0)}"
		role="group"
		aria-label="Units at each step"
	>
		<line x1="8" x2={x('online')} y1={MIDDLE} y2={MIDDLE} stroke="var(--hairline)" stroke-width="2" />
		<line
			x1={x('online')}
			x2={x('online')}
			y1="2"
			y2={HEIGHT - 18}
			stroke="var(--marigold)"
			stroke-width="4"
		/>
		{#each RUN_STEPS as step, index (step)}
			<a
				href={hrefOf(chosen === step ? null : step)}
				aria-label="{counts[step]} {step}"
				aria-current={chosen === step ? 'true' : undefined}
			>
				<rect x={(x(step) ?? 0) - x.step() / 2} y="0" width={x.step()} height={HEIGHT} fill="transparent" />
				<circle
					cx={x(step)}
					cy={MIDDLE}
					r={Math.max(counts[step] ? 9 : 3, radius(counts[step]))}
					class:none={counts[step] === 0}
					class:online={step === 'online'}
				/>
				{#if counts[step] > 0}<text x={x(step)} y={MIDDLE + 4.5} class="count">{`${counts[step]} `}</text
					>{/if}
				<text
					x={x(step)}
					y={HEIGHT - 4 + (narrow && index % 2 === 1 ? 14 : 0)}
					class="name"
					class:chosen={chosen === step}>{step}</text
				>
			</a>
		{/each}
	</svg>
</figure>

<style>
	figure {
		overflow: hidden;
	}
	svg {
		display: block;
		overflow: visible;
	}
	circle {
		fill: var(--chosen);
		stroke: var(--pine);
		stroke-width: 1.5;
	}
	circle.online {
		fill: var(--pine);
	}
	circle.none {
		fill: var(--sheet);
		stroke: var(--hairline);
	}
	.count {
		text-anchor: middle;
		font-size: 13px;
		font-weight: 700;
		fill: var(--ink);
	}
	circle.online + .count {
		fill: var(--sheet);
	}
	.name {
		text-anchor: middle;
		font-size: 13px;
		fill: var(--quiet);
	}
	.name.chosen {
		fill: var(--ink);
		font-weight: 700;
		text-decoration: underline var(--marigold) 3px;
	}
	a:hover circle {
		stroke: var(--marigold);
		stroke-width: 3;
	}
</style>
