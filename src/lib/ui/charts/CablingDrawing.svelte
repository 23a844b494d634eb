<script lang="ts">
	import type { Cable } from '$core/plan';
	import { cableWords, drawCabling, type ComparedCabling } from '$core/proof';

	/** A site's cables, from what leads outside down to what hangs on it, with what is not as planned marked. */
	interface Props {
		positions: readonly {
			readonly id: string;
			readonly name: string;
			readonly portNames: Readonly<Record<string, string>>;
		}[];
		cables: readonly Cable[];
		found: ComparedCabling | null;
	}
	let { positions, cables, found }: Props = $props();

	const nameOf = (id: string, port: string) =>
		positions.find((one) => one.id === id)?.portNames[port] ?? port;
	const picture = $derived(
		drawCabling(
			positions,
			cables.map(({ near, far }, index) => {
				const { state, found: there } = found?.cables[index] ?? { state: 'unread', found: null };
				const end = ({ positionId, port }: typeof near) => ({
					device: positionId,
					port: nameOf(positionId, port)
				});
				return { near: end(near), far: far && end(far), state, words: cableWords(state, there?.far ?? null) };
			})
		)
	);
	const strangers = $derived(found?.strangers ?? []);
</script>

<svg
	viewBox="0 0 {picture.width} {picture.height}"
	style:max-width="{picture.width}px"
	class="w-full"
	role="img"
	aria-label="How the site is cabled; the list beside it says the same"
>
	{#if picture.socket}
		{@render box(picture.socket, 'socket')}
		<text x={picture.socket.x} y={picture.socket.y + 5} text-anchor="middle" class="quietly"
			>the provider’s socket</text
		>
	{/if}
	{#each picture.lines as { near, far, x1, y1, x2, y2, state, words } (`${near.device} ${near.port}`)}
		<g class="cable {state}">
			<path d="M{x1} {y1}C{x1} {y1 + 34} {x2} {y2 - 34} {x2} {y2}" fill="none" />
			{#if far}<text x={x1} y={y1 + 15} text-anchor="middle" class="port">{far.port}</text>{/if}
			<text x={x2} y={y2 - 7} text-anchor="middle" class="port">{near.port}</text>
			{#if words}
				{@render diamond((x1 + x2) / 2, (y1 + y2) / 2)}
				<text x={(x1 + x2) / 2 + 12} y={(y1 + y2) / 2 + 4} class="said">{words}</text>
			{/if}
		</g>
	{/each}
	{#each picture.boxes as { id, name, x, y } (id)}
		{@render box({ x, y }, 'device')}
		<text {x} y={y + 5} text-anchor="middle" class="name">{name}</text>
		{#if strangers.some(({ positionId }) => positionId === id)}
			{@render diamond(x + picture.boxWidth / 2 - 12, y - picture.boxHeight / 2 + 6)}
		{/if}
	{/each}
</svg>

{#snippet box({ x, y }: { x: number; y: number }, kind: string)}
	<rect
		x={x - picture.boxWidth / 2}
		y={y - picture.boxHeight / 2}
		width={picture.boxWidth}
		height={picture.boxHeight}
		rx="4"
		class={kind}
	/>
{/snippet}
{#snippet diamond(x: number, y: number)}
	<path d="M{x} {y - 8}l8 8-8 8-8-8z" class="mark" />
{/snippet}

<style>
	.socket {
		fill: none;
		stroke: var(--hairline);
		stroke-dasharray: 4 3;
	}
	.device {
		fill: var(--sheet);
		stroke: var(--ink);
	}
	.name {
		fill: var(--ink);
		font-weight: 700;
		font-size: 14px;
	}
	.quietly {
		fill: var(--quiet);
		font-size: 13px;
	}
	.port {
		fill: var(--ink);
		font-family: var(--mono, monospace);
		font-size: 11.5px;
		paint-order: stroke;
		stroke: var(--paper);
		stroke-width: 4px;
	}
	.cable path:first-child {
		stroke: var(--quiet);
		stroke-width: 2;
	}
	.right path:first-child {
		stroke: var(--pine);
	}
	.elsewhere path:first-child,
	.missing path:first-child {
		stroke: var(--brick);
		stroke-dasharray: 6 4;
	}
	.half path:first-child {
		stroke: var(--amber);
		stroke-dasharray: 2 3;
	}
	.mark {
		fill: var(--brick);
	}
	.half .mark {
		fill: var(--amber);
	}
	.said {
		fill: var(--ink);
		font-size: 12px;
		font-weight: 600;
		paint-order: stroke;
		stroke: var(--paper);
		stroke-width: 4px;
	}
</style>
