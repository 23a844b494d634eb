<script lang="ts">
	import { scaleLinear, zoom, zoomIdentity, select, type ZoomTransform, type D3ZoomEvent } from 'd3';
	import { BITS, lastOf, parsePrefix, printAddress, sizeOf, type Prefix } from '$core/address';

	interface Held {
		readonly id: string;
		readonly block: string;
		/** Who has it. */
		readonly words: string;
		readonly siteId: string | null;
	}
	/** What of a block of addresses is used, by whom, and what is free: to be moved and drawn nearer. */
	let {
		block,
		held,
		free,
		chosen = $bindable()
	}: {
		block: string;
		held: readonly Held[];
		free: readonly string[];
		chosen: string | null;
	} = $props();

	const HEIGHT = 92;
	let width = $state(800);
	let place: SVGSVGElement | undefined = $state();
	let transform: ZoomTransform = $state.raw(zoomIdentity);
	const whole = $derived(parsePrefix(block)!);
	/** Positions as shares of the whole block: exact enough to draw, whatever the version. */
	const share = (value: bigint) => Number(((value - whole.base) * 1_000_000_000n) / sizeOf(whole)) / 1e9;
	const scale = $derived(transform.rescaleX(scaleLinear([0, 1], [0, width])));
	const spanOf = (prefix: Prefix) => {
		const from = scale(share(prefix.base));
		return { x: from, width: Math.max(1, scale(share(lastOf(prefix) + 1n)) - from - 0.5) };
	};
	const seen = ({ x, width: wide }: { x: number; width: number }) => x < width && x + wide > 0;
	const used = $derived(held.map((one) => ({ ...one, ...spanOf(parsePrefix(one.block)!) })).filter(seen));
	const open = $derived(free.map((text) => ({ text, ...spanOf(parsePrefix(text)!) })).filter(seen));
	/** Marks at halves, quarters, eighths … of the block: where addresses are round. */
	const ticks = $derived.by(() => {
		const [from, to] = scale.domain() as [number, number];
		const wanted = Math.max(2, Math.floor(width / 150));
		const deepest = BITS[whole.version] - whole.length;
		const depth = Math.max(0, Math.min(deepest, Math.floor(Math.log2(wanted / (to - from)))));
		const step = 2 ** -depth;
		const made = [];
		for (let number = Math.ceil(from / step); number * step <= to && number * step < 1; number++)
			made.push({
				x: scale(number * step),
				text: printAddress({
					version: whole.version,
					value: whole.base + (BigInt(number) * sizeOf(whole)) / (1n << BigInt(depth))
				})
			});
		return made;
	});
	const MOST_ZOOM = $derived(2 ** Math.min(40, BITS[whole.version] - whole.length));

	const behaviour = $derived(
		zoom<SVGSVGElement, unknown>()
			.scaleExtent([1, MOST_ZOOM])
			.translateExtent([
				[0, 0],
				[width, HEIGHT]
			])
			.extent([
				[0, 0],
				[width, HEIGHT]
			])
			.on('zoom', (event: D3ZoomEvent<SVGSVGElement, unknown>) => (transform = event.transform))
	);
	$effect(() => {
		if (!place) return;
		const drawn = select(place);
		drawn.call(behaviour);
		return () => drawn.on('.zoom', null);
	});
	function nearer(by: number) {
		if (place) behaviour.scaleBy(select(place), by);
	}
</script>

<div bind:clientWidth={width} class="map">
	<svg
		bind:this={place}
		{width}
		height={HEIGHT}
		role="img"
		aria-label="What of {block} is used and what is free"
	>
		<rect x="0" y="8" {width} height="46" class="ground" />
		{#each open as one (one.text)}<rect x={one.x} y="8" width={one.width} height="46" class="free"
				><title>{one.text} is free</title></rect
			>{/each}
		{#each used as one (one.id)}
			<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions (the table below is the way by keyboard) -->
			<rect
				x={one.x}
				y="8"
				width={one.width}
				height="46"
				class="used"
				class:chosen={chosen === one.id}
				onclick={() => (chosen = one.id)}><title>{one.block}: {one.words}</title></rect
			>
			{#if one.width > 90}<text x={Math.max(4, one.x + 5)} y="36" class="words"
					>{one.words.slice(0, Math.floor(one.width / 8))}</text
				>{/if}
		{/each}
		{#each ticks as tick (tick.text)}
			<line x1={tick.x} x2={tick.x} y1="54" y2="62" class="tick" />
			<text
				x={Math.min(Math.max(tick.x, 2), width - 4)}
				y="78"
				class="tick-words"
				text-anchor={tick.x < 40 ? 'start' : tick.x > width - 60 ? 'end' : 'middle'}>{tick.text}</text
			>
		{/each}
	</svg>
</div>
<p class="mt-1 flex flex-wrap gap-4">
	<span><i class="key used-key"></i> in use</span>
	<span><i class="key free-key"></i> free</span>
	<button class="link" onclick={() => nearer(2)}>Nearer</button>
	<button class="link" onclick={() => nearer(0.5)}>Farther</button>
	<span class="quiet">The wheel draws nearer, dragging moves; a block in use leads to its site.</span>
</p>

<style>
	.map {
		touch-action: none;
		cursor: grab;
	}
	.ground {
		fill: var(--paper);
	}
	.free {
		fill: var(--sheet);
		stroke: var(--hairline);
	}
	.used {
		fill: var(--pine);
		cursor: pointer;
	}
	.used.chosen {
		fill: var(--marigold);
	}
	.words {
		fill: var(--sheet);
		font-size: 12px;
		pointer-events: none;
	}
	.tick {
		stroke: var(--quiet);
	}
	.tick-words {
		fill: var(--quiet);
		font-family: var(--font-mono);
		font-size: 11px;
	}
	.key {
		display: inline-block;
		width: 1rem;
		height: 0.8rem;
		border: 1px solid var(--hairline);
	}
	.used-key {
		background: var(--pine);
	}
	.free-key {
		background: var(--sheet);
	}
	.link {
		color: var(--pine);
		text-decoration: underline;
		cursor: pointer;
	}
</style>
