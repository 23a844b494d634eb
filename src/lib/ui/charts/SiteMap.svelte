<script lang="ts">
	import { onMount } from 'svelte';
	import { geoMercator, geoPath, select, zoom, zoomIdentity, type ZoomTransform } from 'd3';
	import type { GeometryCollection } from 'geojson';

	/**
	 * Where are they? Sites on the land, each with its standing; the wheel, a drag or the keys come nearer.
	 * The list of the same sites beside it is its text.
	 */
	interface MapSite {
		readonly id: string;
		readonly name: string;
		readonly latitude: number;
		readonly longitude: number;
		readonly standing: string;
	}
	interface Props {
		sites: readonly MapSite[];
		/** The one the map is about; the others are quiet. */
		chosen?: string | null;
		title: string;
		height?: number;
		/** Half the width that is shown at first, in degrees; null shows all sites. */
		span?: number | null;
	}
	let { sites, chosen = null, title, height = 260, span = null }: Props = $props();

	const NEAREST = 400;
	let width = $state(480);
	let land = $state<GeometryCollection | null>(null);
	let lost = $state(false);
	let svg: SVGSVGElement | undefined = $state();
	let transform: ZoomTransform = $state.raw(zoomIdentity);

	const middle = $derived.by((): [number, number] => {
		const one = sites.find(({ id }) => id === chosen);
		if (one) return [one.longitude, one.latitude];
		const mean = (pick: (site: MapSite) => number) =>
			sites.reduce((sum, site) => sum + pick(site), 0) / Math.max(1, sites.length);
		return [mean(({ longitude }) => longitude), mean(({ latitude }) => latitude)];
	});
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
		const points = sites.map(({ longitude, latitude }) => [longitude, latitude]);
		return base.fitExtent([[30, 24], [width - 30, height - 24]], { type: 'MultiPoint', coordinates: points }); // prettier-ignore
	});
	const outline = $derived(land ? (geoPath(projection)(land) ?? '') : '');
	const placed = $derived(
		sites.map((site) => {
			const [x, y] = projection([site.longitude, site.latitude]) ?? [0, 0];
			return { ...site, x: transform.applyX(x), y: transform.applyY(y) };
		})
	);
	const near = $derived(placed.filter(({ x, y }) => x > -20 && x < width + 20 && y > -20 && y < height + 20));
	/** What is stuck is drawn over what is not. */
	const drawn = $derived([
		...near.filter(({ standing }) => standing !== 'stuck'),
		...near.filter(({ standing }) => standing === 'stuck')
	]);
	/** Names are written where they do not cover each other. */
	const named = $derived.by(() => {
		const written: { x: number; y: number }[] = [];
		const order = [...near.filter(({ id }) => id === chosen), ...near.filter(({ id }) => id !== chosen)];
		return order.filter(({ x, y }) => {
			if (written.some((other) => Math.abs(other.x - x) < 110 && Math.abs(other.y - y) < 15)) return false;
			written.push({ x, y });
			return true;
		});
	});

	const behaviour = zoom<SVGSVGElement, unknown>()
		.scaleExtent([0.5, NEAREST])
		.on('zoom', ({ transform: next }: { transform: ZoomTransform }) => (transform = next));
	onMount(() => {
		select(svg!).call(behaviour).on('dblclick.zoom', null);
		void fetch(`/sites/land?latitude=${Math.round(middle[1])}&longitude=${Math.round(middle[0])}`)
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
	<figcaption class="flex flex-wrap items-baseline justify-between gap-x-4">
		<span class="quiet">{title}</span>
		<span class="flex gap-3 text-sm"
			><button type="button" onclick={() => by(2)}>Nearer</button>
			<button type="button" onclick={() => by(0.5)}>Further</button>
			<button type="button" onclick={back}>Whole</button></span
		>
	</figcaption>
	<div bind:clientWidth={width}>
		<svg bind:this={svg} {width} {height} role="group" aria-label={title}>
			<g transform={transform.toString()}><path d={outline} class="land" /></g>
			{#each drawn as site (site.id)}
				<a href="/sites/{site.id}" aria-label="{site.name}, {site.standing}">
					{#if site.standing === 'stuck'}
						<path d="M{site.x} {site.y - 8}l8 8-8 8-8-8z" class="stuck" />
					{:else if site.standing === 'online'}
						<circle cx={site.x} cy={site.y} r="5.5" class="online" />
					{:else}
						<circle cx={site.x} cy={site.y} r="5" class="other" />
					{/if}
					{#if site.id === chosen}<circle cx={site.x} cy={site.y} r="12" class="chosen" />{/if}
				</a>
			{/each}
			{#each named as site (site.id)}<text
					x={site.x + (site.x > width - 130 ? -11 : 11)}
					y={site.y + 4}
					text-anchor={site.x > width - 130 ? 'end' : 'start'}
					class:main={site.id === chosen}>{site.name}</text
				>{/each}
		</svg>
	</div>
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
	.online {
		fill: var(--pine);
	}
	.stuck {
		fill: var(--brick);
	}
	.other {
		fill: var(--sheet);
		stroke: var(--pine);
		stroke-width: 2;
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
