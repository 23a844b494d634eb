<script lang="ts">
	import { Button } from 'flowbite-svelte';

	/** Takes a signature with a finger, a pen or the mouse; as an SVG path in a frame of 600 by 200. */
	let { path = $bindable('') }: { path?: string } = $props();
	const [WIDE, HIGH] = [600, 200];
	/** Nobody writes a name in more. */
	const LONGEST = 50_000;
	let drawing = false;
	let last = { x: 0, y: 0 };

	function placeOf(event: PointerEvent) {
		const frame = (event.currentTarget as SVGSVGElement).getBoundingClientRect();
		const within = (share: number, most: number) => Math.round(Math.min(1, Math.max(0, share)) * most);
		return {
			x: within((event.clientX - frame.left) / frame.width, WIDE),
			y: within((event.clientY - frame.top) / frame.height, HIGH)
		};
	}
	function begin(event: PointerEvent) {
		(event.currentTarget as SVGSVGElement).setPointerCapture(event.pointerId);
		drawing = true;
		last = placeOf(event);
		path += `M${last.x} ${last.y}`;
	}
	function go(event: PointerEvent) {
		if (!drawing || path.length > LONGEST) return;
		const now = placeOf(event);
		if (Math.abs(now.x - last.x) + Math.abs(now.y - last.y) < 3) return;
		last = now;
		path += `L${now.x} ${now.y}`;
	}
	const end = () => (drawing = false);
</script>

<div>
	<svg
		viewBox="0 0 {WIDE} {HIGH}"
		role="img"
		aria-label={path === '' ? 'Sign here' : 'The signature'}
		data-testid="signature"
		onpointerdown={begin}
		onpointermove={go}
		onpointerup={end}
		onpointercancel={end}
	>
		<path d="M30 160h540" class="line" />
		<path d={path} class="stroke" />
		{#if path === ''}<text x="300" y="110" text-anchor="middle">Sign here</text>{/if}
	</svg>
	{#if path !== ''}<Button size="xs" color="alternative" class="mt-2" onclick={() => (path = '')}
			>Sign again</Button
		>{/if}
</div>

<style>
	svg {
		width: 100%;
		max-width: 600px;
		background: var(--sheet);
		border: 1px solid var(--hairline);
		border-radius: 6px;
		touch-action: none;
		cursor: crosshair;
	}
	path {
		fill: none;
	}
	.line {
		stroke: var(--hairline);
		stroke-width: 2;
	}
	.stroke {
		stroke: var(--ink);
		stroke-width: 3;
		stroke-linecap: round;
		stroke-linejoin: round;
	}
	text {
		fill: var(--quiet);
		font-size: 22px;
	}
</style>
