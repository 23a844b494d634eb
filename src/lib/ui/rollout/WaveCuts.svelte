<script lang="ts">
	import { drag, scaleSqrt, select, type D3DragEvent } from 'd3';
	import { Button } from 'flowbite-svelte';
	import { MOST_WAVES } from '$core/rollout';
	import { counted } from '$core/text';

	/**
	 * The units of a rollout in a row, cut into its waves: the cuts are dragged, or moved by the arrow keys. Drawn by the root of
	 * their number, so that a first wave of few is there to be taken hold of.
	 */
	interface Props {
		/** How many each wave has now. */
		sizes: readonly number[];
		/** How many each is to have. */
		onchange: (sizes: readonly number[]) => void;
	}
	let { sizes, onchange }: Props = $props();

	const HEIGHT = 46;
	const NARROWEST_NAMED = 30;
	let width = $state(560);
	/** What is being dragged or was just asked for, until the plan has followed. */
	let wanted = $state.raw<readonly number[] | null>(null);
	$effect(() => {
		void sizes;
		wanted = null;
	});
	const shown = $derived(wanted ?? sizes);
	const total = $derived(sizes.reduce((sum, size) => sum + size, 0));
	/** Up to and with each wave. */
	const ends = $derived(shown.map((_, at) => shown.slice(0, at + 1).reduce((sum, size) => sum + size, 0)));
	const x = $derived(scaleSqrt([0, Math.max(1, total)], [6, Math.max(60, width - 6)]));

	/** The cut after a wave goes to so many units; both beside it keep at least one. */
	function cut(at: number, end: number, isOver: boolean): void {
		const from = at === 0 ? 0 : ends[at - 1]!;
		const to = Math.min(ends[at + 1]! - 1, Math.max(from + 1, Math.round(end)));
		const next = [...shown];
		next[at] = to - from;
		next[at + 1] = ends[at + 1]! - to;
		wanted = next;
		if (isOver) onchange(next);
	}
	function draggable(node: SVGGElement, at: number) {
		const moved = (isOver: boolean) => (event: D3DragEvent<SVGGElement, unknown, unknown>) => {
			const strip = node.ownerSVGElement!.getBoundingClientRect();
			const { clientX } = event.sourceEvent as MouseEvent;
			cut(at, x.invert(Math.min(x.range()[1]!, Math.max(x.range()[0]!, clientX - strip.left))), isOver);
		};
		select(node).call(
			drag<SVGGElement, unknown>()
				.container(() => node.ownerSVGElement!)
				.on('drag', moved(false))
				.on('end', moved(true))
		);
	}
	const STEPS: Readonly<Record<string, number>> = {
		ArrowRight: 1,
		ArrowUp: 1,
		ArrowLeft: -1,
		ArrowDown: -1,
		PageUp: 10,
		PageDown: -10
	};
	function key(event: KeyboardEvent, at: number): void {
		const step = STEPS[event.key];
		if (step === undefined) return;
		event.preventDefault();
		cut(at, ends[at]! + step, true);
	}
	const another = () => {
		const last = shown.at(-1)!;
		onchange([...shown.slice(0, -1), Math.floor(last / 2), Math.ceil(last / 2)]);
	};
	const fewer = () => onchange([...shown.slice(0, -2), shown.at(-2)! + shown.at(-1)!]);
</script>

<figure bind:clientWidth={width} class="mt-3">
	<figcaption class="flex flex-wrap items-center gap-x-4 gap-y-1">
		<span class="quiet">Which wave has how many? Drag a cut, or move it with the arrow keys.</span>
		<span class="ml-auto flex gap-2">
			{#if shown.length > 1}<Button type="button" size="xs" color="alternative" onclick={fewer}
					>One wave fewer</Button
				>{/if}
			{#if shown.length < MOST_WAVES && (shown.at(-1) ?? 0) > 1}<Button
					type="button"
					size="xs"
					color="alternative"
					onclick={another}>Another wave</Button
				>{/if}
		</span>
	</figcaption>
	<svg
		{width}
		height={HEIGHT}
		viewBox="0 0 {width} {HEIGHT}"
		role="group"
		aria-label="The waves, one behind the other"
	>
		{#each shown as size, at (at)}
			{@const [from, until] = [x(ends[at]! - size), x(ends[at]!)]}
			<rect x={from} y="8" width={Math.max(1, until - from)} height="30" class:other={at % 2 === 1} />
			{#if until - from > NARROWEST_NAMED}<text x={(from + until) / 2} y="28" text-anchor="middle"
					>{size}</text
				>{/if}
		{/each}
		{#each ends.slice(0, -1) as end, at (at)}
			<g
				role="slider"
				tabindex="0"
				aria-label="The end of wave {at + 1}"
				aria-valuemin={1}
				aria-valuemax={total - 1}
				aria-valuenow={end}
				aria-valuetext="{counted(shown[at]!, 'unit')} in wave {at + 1}, {shown[at + 1]} in wave {at + 2}"
				transform="translate({x(end)} 0)"
				onkeydown={(event) => key(event, at)}
				{@attach (node: SVGGElement) => draggable(node, at)}
			>
				<rect x="-11" y="0" width="22" height={HEIGHT} class="hold" />
				<line y1="2" y2={HEIGHT - 2} />
				<circle cy={HEIGHT / 2} r="6" />
			</g>
		{/each}
	</svg>
</figure>

<style>
	svg {
		display: block;
		max-width: 100%;
		touch-action: none;
	}
	rect {
		fill: color-mix(in srgb, var(--pine) 26%, var(--sheet));
	}
	rect.other {
		fill: color-mix(in srgb, var(--pine) 12%, var(--sheet));
	}
	.hold {
		fill: transparent;
	}
	g {
		cursor: ew-resize;
	}
	g:focus-visible {
		outline: 3px solid var(--marigold);
		outline-offset: 1px;
	}
	line {
		stroke: var(--ink);
		stroke-width: 2;
	}
	circle {
		fill: var(--sheet);
		stroke: var(--ink);
		stroke-width: 2;
	}
	text {
		font-size: 13px;
		font-weight: 600;
		fill: var(--ink);
		pointer-events: none;
	}
</style>
