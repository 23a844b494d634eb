<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { select, zoom, zoomIdentity, type D3ZoomEvent, type ZoomTransform } from 'd3';
	import { SvelteSet } from 'svelte/reactivity';
	import {
		drawSurvey,
		THING_HEIGHT,
		THING_WIDTH,
		type Dragged,
		type Link,
		type SurveyedThing
	} from '$core/survey';
	import { counted } from '$core/text';
	import { Shape } from '../marks';
	import { outcomeShown, whatItIs } from './words';

	/** What a survey found, from the edge inwards: to be moved, drawn nearer, folded and dragged. The list beside it says the same. */
	interface Props {
		things: readonly SurveyedThing[];
		links: readonly Link[];
		modelName: (model: string) => string;
		/** Keys of what was not there before, or says otherwise. */
		changed: ReadonlySet<string>;
		/** What fits the filter; null for all. */
		fitting: ReadonlySet<string> | null;
		dragged: Dragged;
		folded: SvelteSet<string>;
		chosen: string | null;
		/** Something was put elsewhere; null where nobody may. */
		ondrag: ((spot: { kind: 'group' | 'thing'; key: string; x: number; y: number }) => void) | null;
		drawing?: SVGSVGElement | undefined;
	}
	let {
		things,
		links,
		modelName,
		changed,
		fitting,
		dragged,
		folded,
		chosen = $bindable(),
		ondrag,
		drawing = $bindable()
	}: Props = $props();

	const BOW = 70;
	/** Where more cables than these end, their ports are told beside the drawing. */
	const FEW_PORTS = 4;
	let width = $state(900);
	let height = $state(520);
	let transform: ZoomTransform = $state.raw(zoomIdentity);
	/** While something is dragged, it is there. */
	let moving: { kind: 'group' | 'thing'; key: string; x: number; y: number } | null = $state.raw(null);

	const spots = $derived.by((): Dragged => {
		if (!moving) return dragged;
		const at = { [moving.key]: { x: moving.x, y: moving.y } };
		return moving.kind === 'group'
			? { ...dragged, groups: { ...dragged.groups, ...at } }
			: { ...dragged, things: { ...dragged.things, ...at } };
	});
	const picture = $derived(drawSurvey({ things, links }, folded, spots));
	const isDim = (key: string) => fitting !== null && !fitting.has(key);
	const isNear = (line: { links: readonly Link[] }) =>
		chosen !== null && line.links.some(({ from, to }) => from.thing === chosen || to.thing === chosen);
	const isFar = $derived(transform.k < 0.45);

	const behaviour = zoom<SVGSVGElement, unknown>()
		.scaleExtent([0.04, 3])
		.filter((event: Event) => !(event.target as Element).closest('[data-drag]') || event.type === 'wheel')
		.on('zoom', (event: D3ZoomEvent<SVGSVGElement, unknown>) => {
			transform = event.transform;
			isMoved ||= event.sourceEvent !== null && event.sourceEvent !== undefined;
		});
	/** Until somebody moves it, all of it is in sight, however it grows. */
	let isMoved = false;
	onMount(() => {
		const selection = select(drawing!);
		selection.call(behaviour).on('dblclick.zoom', null);
		return () => void selection.on('.zoom', null);
	});
	$effect(() => {
		// Whatever of these changes
		void [width, height, picture.width, picture.height];
		if (!isMoved && !moving) untrack(whole);
	});
	/** All of it at once, and no larger than it is. */
	export function whole(): void {
		isMoved = false;
		const scale = Math.min(1, (width - 24) / picture.width, (height - 24) / picture.height);
		behaviour.transform(
			select(drawing!),
			zoomIdentity
				.translate((width - picture.width * scale) / 2, (height - picture.height * scale) / 2)
				.scale(scale)
		);
	}
	export function nearer(by: number): void {
		isMoved = true;
		behaviour.scaleBy(select(drawing!), by);
	}
	/** Brings a thing into the middle. */
	export function showThing(key: string): void {
		isMoved = true;
		for (const { things: inner } of picture.groups)
			for (const { thing, x, y } of inner)
				if (thing.key === key) behaviour.translateTo(select(drawing!), x, y);
	}
	export const frame = () => {
		const room = 60;
		return { x: -room, y: -room, width: picture.width + 2 * room, height: picture.height + 2 * room };
	};

	/** The click that ends a drag means nothing else. */
	let wasDragged = false;
	function drag(event: PointerEvent, kind: 'group' | 'thing', key: string, at: { x: number; y: number }) {
		wasDragged = false;
		if (!ondrag || event.button !== 0) return;
		const handle = event.currentTarget as Element;
		const [fromX, fromY] = [event.clientX, event.clientY];
		const { k } = transform;
		handle.setPointerCapture(event.pointerId);
		const move = ({ clientX, clientY }: PointerEvent) => {
			const [dx, dy] = [(clientX - fromX) / k, (clientY - fromY) / k];
			// A hand that trembles over a click drags nothing
			if (moving || Math.hypot(dx, dy) * k > 4) moving = { kind, key, x: at.x + dx, y: at.y + dy };
		};
		const end = () => {
			handle.removeEventListener('pointermove', move as EventListener);
			handle.removeEventListener('pointerup', end);
			handle.removeEventListener('pointercancel', end);
			if (moving) ondrag(moving);
			wasDragged = moving !== null;
			moving = null;
		};
		handle.addEventListener('pointermove', move as EventListener);
		handle.addEventListener('pointerup', end);
		handle.addEventListener('pointercancel', end);
	}
	const onKeys = (act: () => void) => (event: KeyboardEvent) => {
		if (event.key !== 'Enter' && event.key !== ' ') return;
		event.preventDefault();
		act();
	};
	const fold = (name: string) => (folded.has(name) ? folded.delete(name) : folded.add(name));
	/** From side to side; past the boxes on the left between two that stand below each other. */
	function wayOf({ x1, y1, x2, y2 }: { x1: number; y1: number; x2: number; y2: number }): string {
		const isBelow = Math.abs(x2 - x1) < THING_WIDTH;
		const [first, second] = isBelow
			? [x1 - THING_WIDTH / 2 - BOW, x2 - THING_WIDTH / 2 - BOW]
			: [(x1 + x2) / 2, (x1 + x2) / 2];
		return `M${x1} ${y1}C${first} ${y1} ${second} ${y2} ${x2} ${y2}`;
	}
	const cut = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);
	const wordsOf = (all: readonly Link[]) =>
		all
			.slice(0, 8)
			.map(
				({ from, to, speed, seen }) =>
					`${from.port || '?'} – ${to.port || '?'}${speed ? `, ${speed} Mbit/s` : ''}${seen === 'one' ? ', told by one end only' : ''}`
			)
			.join('\n');
</script>

<div class="place" bind:clientWidth={width} bind:clientHeight={height}>
	<svg bind:this={drawing} {width} {height} role="group" aria-label="What was found, from the edge inwards">
		<g transform={transform.toString()} data-moved>
			{#each picture.groups as group (group.name)}
				<rect class="group" x={group.x} y={group.y} width={group.width} height={group.height} rx="6" />
			{/each}
			{#each picture.lines as line (line.key)}
				<path
					class="line {line.links.some(({ seen }) => seen === 'one') ? 'one' : line.links[0]!.seen}"
					class:near={isNear(line)}
					class:dim={fitting !== null &&
						!line.links.some(({ from, to }) => !isDim(from.thing) || !isDim(to.thing))}
					d={wayOf(line)}><title>{wordsOf(line.links)}</title></path
				>
			{/each}
			{#each picture.groups as group (group.name)}
				<g
					class="title"
					class:folded={group.isFolded}
					data-drag
					role="button"
					tabindex="0"
					aria-label="{group.name}, {counted(group.count, 'thing')}: {group.isFolded ? 'unfold' : 'fold'}"
					aria-expanded={!group.isFolded}
					onpointerdown={(event) => drag(event, 'group', group.name, group)}
					onclick={() => wasDragged || fold(group.name)}
					onkeydown={onKeys(() => fold(group.name))}
				>
					<rect
						x={group.x}
						y={group.y}
						width={group.width}
						height={group.isFolded ? group.height : 30}
						rx="6"
					/>
					<path
						class="fold"
						d={group.isFolded ? 'M-4-6l7 6-7 6z' : 'M-6-4h12l-6 8z'}
						transform="translate({group.x + group.width - 16} {group.y + 15})"
					/>
					<text x={group.x + 12} y={group.y + 20}>{cut(group.name, Math.floor(group.width / 9) - 3)}</text>
					{#if group.isFolded}<text class="count" x={group.x + 12} y={group.y + 42}
							>{counted(group.count, 'thing')}</text
						>{/if}
				</g>
			{/each}
			{#if chosen !== null && !isFar}
				{@const near = picture.lines.filter(isNear)}
				{#each near as line (line.key)}
					{#if line.links.length === 1}
						{@const [{ from, to }] = line.links as [Link]}
						{@const side = line.x2 >= line.x1 ? 1 : -1}
						{#if near.length <= FEW_PORTS || from.thing !== chosen}{@render port(
								from.port,
								line.x1 + side * (THING_WIDTH / 2 + 6),
								line.y1,
								side
							)}{/if}
						{#if near.length <= FEW_PORTS || to.thing !== chosen}{@render port(
								to.port,
								line.x2 - side * (THING_WIDTH / 2 + 6),
								line.y2,
								-side
							)}{/if}
					{/if}
				{/each}
			{/if}
			{#each picture.groups as group (group.name)}
				{#each group.things as { thing, x, y } (thing.key)}
					{@const [standing, word] = outcomeShown(thing.outcome)}
					<g
						class="thing"
						class:heard={thing.outcome === null}
						class:chosen={chosen === thing.key}
						class:dim={isDim(thing.key)}
						data-drag
						role="button"
						tabindex="-1"
						aria-label="{thing.name}, {word}"
						aria-pressed={chosen === thing.key}
						onpointerdown={(event) => drag(event, 'thing', thing.key, { x: x - group.x, y: y - group.y })}
						onclick={() => wasDragged || (chosen = chosen === thing.key ? null : thing.key)}
						onkeydown={onKeys(() => (chosen = thing.key))}
					>
						<rect
							x={x - THING_WIDTH / 2}
							y={y - THING_HEIGHT / 2}
							width={THING_WIDTH}
							height={THING_HEIGHT}
							rx="4"
						/>
						{#if changed.has(thing.key)}<rect
								class="changed"
								x={x - THING_WIDTH / 2}
								y={y - THING_HEIGHT / 2}
								width="5"
								height={THING_HEIGHT}
							/>{/if}
						<g transform="translate({x - THING_WIDTH / 2 + 17} {y})"><Shape {standing} /></g>
						<text class="name" x={x - THING_WIDTH / 2 + 32} y={y - 3}>{cut(thing.name, 17)}</text>
						{#if !isFar}<text class="what" x={x - THING_WIDTH / 2 + 32} y={y + 13}
								>{cut(whatItIs(thing, modelName) || word, 22)}</text
							>{/if}
						<title>{thing.name}: {whatItIs(thing, modelName) || word}</title>
					</g>
				{/each}
			{/each}
		</g>
	</svg>
</div>

{#snippet port(name: string, x: number, y: number, side: number)}
	{#if name}<text class="port" {x} y={y - 4} text-anchor={side > 0 ? 'start' : 'end'}>{name}</text>{/if}
{/snippet}

<style>
	.place {
		height: clamp(20rem, 58vh, 46rem);
		border: 1px solid var(--hairline);
		border-radius: 6px;
		background: var(--paper);
		overflow: hidden;
	}
	svg {
		display: block;
		touch-action: none;
		cursor: grab;
		user-select: none;
	}
	.line {
		fill: none;
		stroke: var(--quiet);
		stroke-width: 1.5;
	}
	.line.both {
		stroke: var(--pine);
		stroke-width: 2;
	}
	.line.one {
		stroke: var(--amber);
		stroke-dasharray: 7 4;
		stroke-width: 2;
	}
	.line.near {
		stroke-width: 4;
	}
	.group {
		fill: var(--sheet);
		fill-opacity: 0.6;
		stroke: var(--hairline);
	}
	.title {
		cursor: move;
	}
	.title rect {
		fill: var(--hairline);
		fill-opacity: 0.45;
	}
	.title.folded rect {
		fill: var(--sheet);
		fill-opacity: 1;
		stroke: var(--ink);
	}
	.title text {
		fill: var(--ink);
		font-weight: 700;
		font-size: 14px;
	}
	.fold {
		fill: var(--quiet);
	}
	.title .count {
		fill: var(--quiet);
		font-weight: 400;
		font-size: 13px;
	}
	.thing {
		cursor: pointer;
	}
	.thing > rect:first-child {
		fill: var(--sheet);
		stroke: var(--ink);
	}
	.thing.heard > rect:first-child {
		stroke: var(--quiet);
		stroke-dasharray: 4 3;
	}
	.thing.chosen > rect:first-child {
		stroke: var(--marigold);
		stroke-width: 3;
	}
	.changed {
		fill: var(--marigold);
	}
	.thing:focus-visible > rect:first-child,
	.title:focus-visible rect {
		stroke: var(--pine);
		stroke-width: 3;
	}
	.name {
		fill: var(--ink);
		font-weight: 600;
		font-size: 13.5px;
	}
	.what {
		fill: var(--quiet);
		font-size: 11.5px;
	}
	.port {
		fill: var(--ink);
		font-family: var(--mono, monospace);
		font-size: 11.5px;
		paint-order: stroke;
		stroke: var(--paper);
		stroke-width: 4px;
	}
	.dim {
		opacity: 0.25;
	}
</style>
