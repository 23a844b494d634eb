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

	const WIDTH = 760;
	const HEIGHT = 96;
	const MIDDLE = 42;
	const x = scalePoint<RunStep>([...RUN_STEPS], [50, WIDTH - 50]);
	const radius = $derived(scaleSqrt([0, Math.max(4, max(RUN_STEPS, (step) => counts[step]) ?? 0)], [0, 34]));
</script>

<figure>
	<figcaption class="quiet">Where are they now?</figcaption>
	<svg viewBox="0 0 {WIDTH} {HEIGHT}" aria-label="Units at each step">
		<line x1="8" x2={x('online')} y1={MIDDLE} y2={MIDDLE} stroke="var(--hairline)" stroke-width="2" />
		<line
			x1={x('online')}
			x2={x('online')}
			y1="2"
			y2={HEIGHT - 18}
			stroke="var(--marigold)"
			stroke-width="4"
		/>
		{#each RUN_STEPS as step (step)}
			<a
				href={hrefOf(chosen === step ? null : step)}
				aria-label="{counts[step]} at {step}"
				aria-current={chosen === step ? 'true' : undefined}
			>
				<rect x={(x(step) ?? 0) - 48} y="0" width="96" height={HEIGHT} fill="transparent" />
				<circle
					cx={x(step)}
					cy={MIDDLE}
					r={Math.max(counts[step] ? 9 : 3, radius(counts[step]))}
					class:none={counts[step] === 0}
					class:online={step === 'online'}
				/>
				{#if counts[step] > 0}<text x={x(step)} y={MIDDLE + 4.5} class="count">{counts[step]}</text>{/if}
				<text x={x(step)} y={HEIGHT - 4} class="name" class:chosen={chosen === step}>{step}</text>
			</a>
		{/each}
	</svg>
</figure>

<style>
	svg {
		width: 100%;
		max-width: 860px;
		overflow: visible;
		display: block;
	}
	figure {
		overflow-x: auto;
	}
	@media (max-width: 640px) {
		svg {
			width: 44rem;
		}
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
