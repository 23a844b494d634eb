<script lang="ts">
	import { onMount, untrack } from 'svelte';
	import { geoCentroid, geoMercator, geoPath, select, zoom, zoomIdentity, type ZoomTransform } from 'd3';
	import type { GeometryCollection } from 'geojson';
	import { gather, namesThatFit } from '$core/plan';
	import { betterFirst, Shape, worstOf, type Shown } from '../marks';

	/**
	 * Where are they? Sites on the land, each with its standing; the wheel, a drag or the keys come nearer.
	 * The list of the same sites beside it is its text.
	 */
	interface MapSite {
		readonly id: string;
		readonly name: string;
		readonly latitude: number;
		readonly longitude: number;
		readonly standing: Shown;
	}
	interface Props {
		sites: readonly MapSite[];
		/** The one the map is about; the others are quiet. */
		chosen?: string | null;
		title: string;
		height?: number;
		/** Half the width that is shown at first, in degrees; null shows all sites. */
		span?: number | null;
		/** Where to look when there is no site yet. */
		around?: { readonly latitude: number; readonly longitude: number } | null;
		/** Nobody comes nearer: it hangs on a wall. */
		isStill?: boolean;
		/** Where the coast comes from. */
		landAt?: string;
		/** A place was pointed at. */
		onpick?: (latitude: number, longitude: number) => void;
	}
	let {
		sites,
		chosen = null,
		title,
		height = 260,
		span = null,
		around = null,
		landAt = '/sites/land',
		isStill = false,
		onpick
	}: Props = $props();

	const NEAREST = 400;
	let width = $state(480);
	let land = $state<GeometryCollection | null>(null);
	let lost = $state(false);
	let svg: SVGSVGElement | undefined = $state();
	let transform: ZoomTransform = $state.raw(zoomIdentity);

	/** Where one points, the map stays as it was when it opened. */
	const begun = untrack(() => (onpick ? middleOf() : null));
	const middle = $derived(begun ?? middleOf());
	function middleOf(): [number, number] {
		const one = sites.find(({ id }) => id === chosen);
		if (one) return [one.longitude, one.latitude];
		if (sites.length === 0 && around) return [around.longitude, around.latitude];
		if (sites.length === 0) return [0, 0];
		return geoCentroid({ type: 'MultiPoint', coordinates: coordinatesOf(sites) });
	}
	function coordinatesOf(some: readonly MapSite[]): [number, number][] {
		return some.map(({ longitude, latitude }) => [longitude, latitude]);
	}
	const projection = $derived.by(() => {
		// Turned so that the date line is never in the middle
		const base = geoMercator().rotate([-middle[0], 0]);
		if (span !== null) {
			const [, latitude] = middle;
			const box = {
				type: 'MultiPoint' as const,
				coordinates: [
					[middle[0] - span, latitude - span / 2],
					[middle[0] + span, latitude + span / 2]
				]
			};
			return base.fitSize([width, height], box);
		}
		const all = { type: 'MultiPoint' as const, coordinates: coordinatesOf(sites) };
		const box: [[number, number], [number, number]] = [[30, 24], [width - 30, height - 24]]; // prettier-ignore
		return base.fitExtent(box, all);
	});
	const outline = $derived(land ? (geoPath(projection)(land) ?? '') : '');
	const placed = $derived(
		sites.map((site) => {
			const [x, y] = projection([site.longitude, site.latitude]) ?? [0, 0];
			return { ...site, x: transform.applyX(x), y: transform.applyY(y) };
		})
	);
	const near = $derived(placed.filter(({ x, y }) => x > -20 && x < width + 20 && y > -20 && y < height + 20));
	/** Closer than this they would cover each other, or the number on a count: a little more than a count is wide, in pixels. */
	const APART = 26;
	const groups = $derived(gather(near, APART));
	/** The worst stands for its group, and is drawn over the others. */
	const drawn = $derived(
		groups
			.map((group) => ({ ...group, standing: worstOf(group.members.map(({ standing }) => standing)) }))
			.sort((one, other) => betterFirst(one.standing, other.standing))
	);
	const wordOf = (standing: Shown) => (standing === 'stuck' ? 'needs a person' : standing.replace('-', ' '));
	let opened = $state.raw<readonly MapSite[]>([]);
	/** How wide a letter of a name is, about; how far from its mark a name begins; how far marks reach. */
	const LETTER = 6.2;
	const BESIDE = 11;
	const REACHES = { single: 7, many: 14 };
	/** Names are written where they cover neither each other nor a mark; that of the chosen site always. */
	const named = $derived.by(() => {
		const marks = drawn.map(({ x, y, members }) => {
			const by = members.length === 1 ? REACHES.single : REACHES.many;
			return { left: x - by, right: x + by, top: y - by, bottom: y + by };
		});
		// What is worst is named first
		const names = drawn.toReversed().flatMap(({ x, y, members }) => {
			if (members.length > 1) return [];
			const [site] = members;
			const long = site!.name.length * LETTER;
			const from = (left: number) => ({ left, right: left + long, top: y - 7, bottom: y + 7 });
			// To the left of its mark where there is no room on the right
			const sides = [from(x + BESIDE), from(x - BESIDE - long)];
			const places = sides.filter(({ left, right }) => left >= 0 && right <= width);
			return [{ ...site!, x, y, places, box: places[0] ?? sides[0]! }];
		});
		const first = names.filter(({ id }) => id === chosen);
		const others = names.filter(({ id }) => id !== chosen);
		return [...first, ...namesThatFit(others, [...marks, ...first.map(({ box }) => box)])];
	});
	/** Opens a count: comes nearer until its places part, and lists them below. */
	function openGroup(group: {
		readonly x: number;
		readonly y: number;
		readonly members: readonly MapSite[];
	}): void {
		opened = group.members;
		const [x, y] = transform.invert([group.x, group.y]);
		const nearer = Math.min(NEAREST, transform.k * 4);
		behaviour.transform(
			select(svg!),
			zoomIdentity
				.translate(width / 2, height / 2)
				.scale(nearer)
				.translate(-x, -y)
		);
	}
	function pick(event: MouseEvent): void {
		if (!onpick || !svg) return;
		const box = svg.getBoundingClientRect();
		const place = projection.invert?.(transform.invert([event.clientX - box.left, event.clientY - box.top]));
		if (place) onpick(Math.round(place[1] * 1e4) / 1e4, Math.round(place[0] * 1e4) / 1e4);
	}

	const behaviour = zoom<SVGSVGElement, unknown>()
		.scaleExtent([0.5, NEAREST])
		.on('zoom', ({ transform: next }: { transform: ZoomTransform }) => (transform = next));
	onMount(() => {
		select(svg!).call(behaviour).on('dblclick.zoom', null);
		void fetch(`${landAt}?latitude=${Math.round(middle[1])}&longitude=${Math.round(middle[0])}`)
			.then(async (response) => {
				if (!response.ok) throw new Error('no land');
				land = (await response.json()) as GeometryCollection;
			})
			.catch(() => (lost = true));
	});
	const by = (factor: number) => behaviour.scaleBy(select(svg!), factor);
	const back = () => behaviour.transform(select(svg!), zoomIdentity);
</script>

<figure>
	<figcaption class="flex flex-wrap items-baseline justify-between gap-x-4 {isStill ? 'sr-only' : ''}">
		<span class="quiet">{title}</span>
		<span class="flex gap-3 text-sm"
			><button type="button" onclick={() => by(2)}>Nearer</button>
			<button type="button" onclick={() => by(0.5)}>Further</button>
			<button type="button" onclick={back}>Whole</button></span
		>
	</figcaption>
	<div bind:clientWidth={width}>
		<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions (a place can be typed as well) -->
		<svg
			bind:this={svg}
			{width}
			{height}
			role="group"
			aria-label={title}
			onclick={pick}
			class:picking={onpick}
		>
			<g transform={transform.toString()}><path d={outline} class="land" /></g>
			{#each drawn as group (group.members[0]!.id)}
				{@const [site] = group.members}
				{#if onpick}
					<g transform="translate({group.x} {group.y})"><Shape standing={group.standing} /></g>
				{:else if group.members.length === 1}
					<a href="/sites/{site!.id}" aria-label="{site!.name}, {wordOf(site!.standing)}">
						<g transform="translate({group.x} {group.y})">
							<circle r="10" fill="transparent" />
							<Shape standing={group.standing} />
							{#if site!.id === chosen}<circle r="12" class="chosen" />{/if}
						</g>
					</a>
				{:else}
					<g
						transform="translate({group.x} {group.y})"
						class="count"
						role="button"
						tabindex="0"
						aria-label="{group.members.length} sites here, {wordOf(group.standing)} at worst: open them"
						onclick={(event) => {
							event.stopPropagation();
							openGroup(group);
						}}
						onkeydown={({ key }) => key === 'Enter' && openGroup(group)}
					>
						<circle r={group.members.length > 99 ? 15 : 12} class="many" />
						<text text-anchor="middle" y="4">{group.members.length}</text>
						<g transform="translate(10 -10) scale(0.8)"><Shape standing={group.standing} /></g>
					</g>
				{/if}
			{/each}
			{#each named as site (site.id)}
				{@const isLeft = site.box.left < site.x}
				<text
					x={site.x + (isLeft ? -BESIDE : BESIDE)}
					y={site.y + 4}
					text-anchor={isLeft ? 'end' : 'start'}
					class:main={site.id === chosen}>{site.name}</text
				>{/each}
		</svg>
	</div>
	{#if opened.length > 1}<p class="mt-1 flex flex-wrap gap-x-4" aria-label="Sites at that place">
			{#each opened as site (site.id)}<a href="/sites/{site.id}">{site.name}</a>{/each}
		</p>{/if}
	{#if lost}<p class="quiet text-sm">The land could not be loaded; the places are right all the same.</p>{/if}
</figure>

<style>
	svg {
		display: block;
		width: 100%;
		background: color-mix(in srgb, var(--hairline) 45%, var(--paper));
		border: 1px solid var(--hairline);
		border-radius: 6px;
		touch-action: none;
		cursor: grab;
	}
	.land {
		fill: var(--sheet);
		stroke: var(--quiet);
		stroke-width: 1;
		vector-effect: non-scaling-stroke;
	}
	.many {
		fill: var(--sheet);
		stroke: var(--ink);
		stroke-width: 1.5;
	}
	.count {
		cursor: pointer;
	}
	.count text {
		font-weight: 700;
		pointer-events: none;
	}
	.picking {
		cursor: crosshair;
	}
	.chosen {
		fill: none;
		stroke: var(--marigold);
		stroke-width: 3;
	}
	text {
		font-size: 12px;
		fill: var(--ink);
		paint-order: stroke;
		stroke: var(--paper);
		stroke-width: 3px;
		pointer-events: none;
	}
	.main {
		font-weight: 700;
	}
	button {
		color: var(--pine);
		text-decoration: underline;
		text-underline-offset: 2px;
	}
</style>
