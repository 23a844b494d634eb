<script lang="ts">
	import { max, scaleLinear, scaleTime } from 'd3';
	import type { RolloutPlan } from '$core/rollout';
	import { counted } from '$core/text';
	import { timeMarks } from '../charts';

	/** How many units are under way when, wave by wave, if each takes as long as expected: hills along the time. */
	let { plan }: { plan: RolloutPlan } = $props();

	let width = $state(900);
	const BUCKETS = 160;
	const ROW = 46;
	const LEFT = 92;
	const spans = $derived(
		plan.course.units.flatMap(({ wave, during }) => (during ? [{ wave, ...during }] : []))
	);
	const from = $derived(spans.reduce((least, span) => Math.min(least, span.from), Infinity));
	const until = $derived(spans.reduce((most, span) => Math.max(most, span.until), 0));
	const x = $derived(scaleTime([new Date(from), new Date(until)], [LEFT, Math.max(LEFT + 50, width - 40)]));
	/** By wave, how many are under way in each part of the time. */
	const hills = $derived.by(() => {
		const step = Math.max(1, (until - from) / BUCKETS);
		const all = plan.waves.map(() => new Array<number>(BUCKETS).fill(0));
		for (const span of spans) {
			const [first, last] = [span.from, span.until - 1].map((at) =>
				Math.min(BUCKETS - 1, Math.floor((at - from) / step))
			) as [number, number];
			for (let at = first; at <= last; at++) all[span.wave]![at]!++;
		}
		return all;
	});
	const height = $derived(scaleLinear([0, max(hills.flat()) ?? 1], [0, ROW - 16]));
	const each = $derived((x.range()[1]! - LEFT) / BUCKETS);
	const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
	const marks = $derived(timeMarks(from, until, x.range()[1]! - LEFT, timeZone));
</script>

{#if spans.length > 0}
	<figure bind:clientWidth={width}>
		<figcaption class="quiet">How many are under way when? Each hill is a wave.</figcaption>
		<svg
			{width}
			height={plan.waves.length * ROW + 24}
			viewBox="0 0 {width} {plan.waves.length * ROW + 24}"
			role="img"
			aria-label="{counted(plan.waves.length, 'wave')} over time"
		>
			{#each marks as { at, words } (at)}
				<line x1={x(at)} x2={x(at)} y1="0" y2={plan.waves.length * ROW} class="tick" />
				<text x={x(at)} y={plan.waves.length * ROW + 16} class="when">{words}</text>
			{/each}
			{#each hills as hill, wave (wave)}
				{@const ground = (wave + 1) * ROW - 6}
				<text x="0" y={ground - 4} class="wave">Wave {wave + 1}</text>
				<line x1={LEFT} x2={x.range()[1]} y1={ground} y2={ground} class="ground" />
				{#each hill as count, at (at)}{#if count > 0}<rect
							x={LEFT + at * each}
							width={Math.max(1, each + 0.3)}
							y={ground - Math.max(2, height(count))}
							height={Math.max(2, height(count))}
						/>{/if}{/each}
			{/each}
		</svg>
	</figure>
{/if}

<style>
	rect {
		shape-rendering: crispEdges;
		fill: var(--pine);
	}
	.ground {
		stroke: var(--hairline);
		stroke-width: 1.5;
	}
	.tick {
		stroke: var(--hairline);
		stroke-dasharray: 2 3;
	}
	.when {
		font-size: 12px;
		text-anchor: middle;
		fill: var(--quiet);
	}
	.wave {
		font-size: 13px;
		fill: var(--ink);
	}
	svg {
		display: block;
		overflow: visible;
	}
</style>
