<script lang="ts">
	import { scalePoint } from 'd3';
	import { STEPS, type Standing, type Step } from '$core/onboarding';
	import { Shape } from '../marks';

	/** One unit's way to the door: left is outside, the doorline is right, what is behind is drawn firm. */
	let { step, standing, wide = false }: { step: Step; standing: Standing; wide?: boolean } = $props();

	const width = $derived(wide ? 560 : 280);
	const height = $derived(wide ? 58 : 24);
	const middle = $derived(wide ? 18 : 12);
	const x = $derived(scalePoint<Step>([...STEPS], [10, width - 12]).padding(wide ? 0.35 : 0));
	const at = $derived(x(step) ?? 0);
	const through = $derived(standing === 'through' || standing === 'not-heard');
	const colour = $derived(
		standing === 'stuck' || standing === 'stalled'
			? 'var(--brick)'
			: standing === 'late' || standing === 'not-heard'
				? 'var(--amber)'
				: 'var(--pine)'
	);
</script>

<svg viewBox="0 0 {width} {height}" class:wide role="img" aria-label="at {step}, {standing}">
	<line x1={x('claimed')} x2={x('online')} y1={middle} y2={middle} class="ahead" />
	<line
		x1={x('claimed')}
		x2={at}
		y1={middle}
		y2={middle}
		stroke={colour}
		stroke-width="3"
		stroke-linecap="round"
	/>
	<line
		x1={x('online')}
		x2={x('online')}
		y1={wide ? 2 : 1}
		y2={wide ? 34 : 23}
		class="doorline"
		class:through
	/>
	{#each STEPS.slice(0, -1) as one (one)}
		{#if one !== step}<circle
				cx={x(one)}
				cy={middle}
				r="2.5"
				class:passed={(x(one) ?? 0) < at}
				class="tick"
			/>{/if}
	{/each}
	<g transform="translate({at} {middle})"><Shape {standing} /></g>
	{#if wide}
		{#each STEPS as one (one)}<text x={x(one)} y="50" text-anchor="middle" class:now={one === step}
				>{one}</text
			>{/each}
	{/if}
</svg>

<style>
	svg {
		width: 100%;
		min-width: 110px;
		max-width: 280px;
		height: 24px;
		display: block;
	}
	svg.wide {
		max-width: 680px;
		height: auto;
	}
	.ahead {
		stroke: var(--hairline);
		stroke-width: 2;
	}
	.doorline {
		stroke: var(--marigold);
		stroke-width: 3;
	}
	.tick {
		fill: var(--sheet);
		stroke: var(--hairline);
		stroke-width: 1.5;
	}
	.tick.passed {
		fill: var(--pine);
		stroke: var(--pine);
	}
	text {
		font-size: 11.5px;
		fill: var(--quiet);
	}
	text.now {
		fill: var(--ink);
		font-weight: 700;
	}
</style>
