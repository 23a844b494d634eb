<script lang="ts">
	import { select, zoom, zoomIdentity, type ZoomTransform } from 'd3';
	import { pathOf, pathWords, type Path } from '$core/reachability';
	import { coloursOf, drawCells, overviewOf, type Span } from './reach-drawing';

	/** Who reaches whom: a row for each that asks, a column for each asked about. Drawn on a canvas, for hundreds of places. */
	interface Props {
		places: readonly {
			readonly id: string;
			readonly called: string;
			readonly isHub: boolean;
			readonly isConnected: boolean;
		}[];
		/** Of each pair, row by row: see core's `pathOf`. */
		paths: Uint8Array;
		planned: Uint8Array;
		/** Minutes since it was looked at. */
		ages: Uint16Array;
		/** There and back, in milliseconds. */
		times: Uint16Array;
		/** Numbers of the places that are shown. */
		shown: readonly number[];
		onopen: (from: string, to: string) => void;
	}
	let { places, paths, planned, ages, times, shown, onopen }: Props = $props();

	const HEAD = 128;
	const LARGEST_CELL = 34;
	/** From this size on a cell shows its shape, from the next a row its name. */
	const SHAPED = 12;
	const NAMED = 12;

	let canvas = $state<HTMLCanvasElement>() as HTMLCanvasElement;
	let above = $state<HTMLCanvasElement>() as HTMLCanvasElement;
	const ratio = typeof window === 'undefined' ? 1 : window.devicePixelRatio || 1;
	let width = $state(720);
	let transform = $state<ZoomTransform>(zoomIdentity);
	let at = $state<{ readonly row: number; readonly column: number } | null>(null);
	let dark = $state(false);

	const count = $derived(Math.max(1, shown.length));
	const base = $derived(Math.min(LARGEST_CELL, (width - HEAD) / count, 640 / count));
	const height = $derived(HEAD + base * count + 2);
	const cell = $derived(base * transform.k);
	const left = (column: number) => HEAD + transform.x + column * cell;
	const top = (row: number) => HEAD + transform.y + row * cell;

	$effect(() => {
		const page = document.documentElement;
		const look = () => (dark = page.classList.contains('dark'));
		look();
		const watching = new MutationObserver(look);
		watching.observe(page, { attributeFilter: ['class'] });
		return () => watching.disconnect();
	});

	$effect(() => {
		const moving = zoom<HTMLCanvasElement, unknown>()
			.scaleExtent([1, Math.max(1, LARGEST_CELL / base)])
			.translateExtent([
				[0, 0],
				[base * count, base * count]
			])
			.extent([
				[0, 0],
				[base * count, base * count]
			])
			.on('zoom', (event: { transform: ZoomTransform }) => (transform = event.transform));
		const selection = select(above);
		selection.call(moving).on('dblclick.zoom', null);
		moving.transform(selection, zoomIdentity);
		return () => void selection.on('.zoom', null);
	});

	const indexOf = (row: number, column: number) => shown[row]! * places.length + shown[column]!;
	const pathAt = (index: number): Path | null => pathOf(paths[index]!);
	const isAstray = (index: number): boolean =>
		paths[index] !== 0 && planned[index] !== 0 && paths[index] !== planned[index];

	const cells = $derived({ paths, planned, ages, count: places.length, shown });
	const colours = $derived.by(() => {
		void dark;
		return canvas ? coloursOf(canvas) : null;
	});
	const overview = $derived(colours && shown.length > 0 ? overviewOf(cells, colours) : null);
	const span = (offset: number, room: number): Span => ({
		first: Math.max(0, Math.floor(-offset / cell)),
		last: Math.min(shown.length, Math.ceil((room - offset) / cell))
	});

	const LETTERS = '13px "Atkinson Hyperlegible Next Variable", sans-serif';
	const MOST_LETTERS = 18;
	/** Names of rows or columns in sight; where there is no room for them, of what is pointed at. */
	function drawNames(
		context: CanvasRenderingContext2D,
		{ first, last }: Span,
		pointed: number | undefined,
		write: (number: number, name: string) => void
	): void {
		for (let number = first; number < last; number++) {
			if (cell < NAMED && number !== pointed) continue;
			const { called } = places[shown[number]!]!;
			if (number === pointed) context.font = `bold ${LETTERS}`;
			write(number, called.length > MOST_LETTERS ? `${called.slice(0, MOST_LETTERS - 1)}…` : called);
			if (number === pointed) context.font = LETTERS;
		}
	}

	/** A canvas, empty, in points of the page. */
	function cleared(canvas: HTMLCanvasElement): CanvasRenderingContext2D {
		const context = canvas.getContext('2d')!;
		const [wide, high] = [Math.round(width * ratio), Math.round(height * ratio)];
		if (canvas.width !== wide || canvas.height !== high) {
			canvas.width = wide;
			canvas.height = high;
		}
		context.setTransform(ratio, 0, 0, ratio, 0, 0);
		context.clearRect(0, 0, width, height);
		return context;
	}
	const rows = $derived(span(transform.y, height - HEAD));
	const columns = $derived(span(transform.x, width - HEAD));
	function inside(context: CanvasRenderingContext2D, draw: () => void): void {
		context.save();
		context.beginPath();
		context.rect(HEAD, HEAD, width - HEAD, height - HEAD);
		context.clip();
		draw();
		context.restore();
	}

	$effect(() => {
		if (!colours) return;
		const context = cleared(canvas);
		inside(context, () => {
			if (cell < SHAPED && overview) {
				context.imageSmoothingEnabled = false;
				context.drawImage(overview, left(0), top(0), cell * shown.length, cell * shown.length);
			} else
				drawCells(context, cells, colours, { size: cell, left: left(0), top: top(0), ratio }, rows, columns);
		});
	});
	// What is pointed at moves with every move of the hand: the cells stay as they are drawn
	$effect(() => {
		if (!colours) return;
		const context = cleared(above);
		const pointed = at;
		if (pointed)
			inside(context, () => {
				context.strokeStyle = colours.marigold;
				context.lineWidth = 2;
				context.strokeRect(HEAD, top(pointed.row), width - HEAD, cell);
				context.strokeRect(left(pointed.column), HEAD, cell, height - HEAD);
			});
		context.font = LETTERS;
		context.fillStyle = colours.ink;
		context.textBaseline = 'middle';
		context.textAlign = 'right';
		drawNames(context, rows, pointed?.row, (row, name) => {
			if (top(row) + cell / 2 >= HEAD) context.fillText(name, HEAD - 6, top(row) + cell / 2, HEAD - 8);
		});
		context.textAlign = 'left';
		drawNames(context, columns, pointed?.column, (column, name) => {
			if (left(column) + cell / 2 < HEAD) return;
			context.save();
			context.translate(left(column) + cell / 2, HEAD - 6);
			context.rotate(-Math.PI / 2);
			context.fillText(name, 0, 0, HEAD - 8);
			context.restore();
		});
	});

	function cellUnder(event: PointerEvent | MouseEvent): typeof at {
		const box = above.getBoundingClientRect();
		const [x, y] = [event.clientX - box.left, event.clientY - box.top];
		if (x < HEAD || y < HEAD) return null;
		const [column, row] = [
			Math.floor((x - HEAD - transform.x) / cell),
			Math.floor((y - HEAD - transform.y) / cell)
		];
		return row >= 0 && column >= 0 && row < shown.length && column < shown.length ? { row, column } : null;
	}
	function open(one: typeof at): void {
		if (!one || one.row === one.column || planned[indexOf(one.row, one.column)] === 0) return;
		onopen(places[shown[one.row]!]!.id, places[shown[one.column]!]!.id);
	}
	function move(event: KeyboardEvent): void {
		const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[event.key];
		if (step) {
			const bounded = (value: number) => Math.max(0, Math.min(shown.length - 1, value));
			at = at
				? { row: bounded(at.row + step[0]!), column: bounded(at.column + step[1]!) }
				: { row: 0, column: Math.min(1, shown.length - 1) };
		} else if (event.key === 'Enter') open(at);
		else return;
		event.preventDefault();
	}

	const said = $derived.by(() => {
		if (!at) return null;
		const [from, to] = [places[shown[at.row]!]!, places[shown[at.column]!]!];
		if (at.row === at.column) return { pair: from.called, words: 'itself' };
		const index = indexOf(at.row, at.column);
		if (planned[index] === 0) return { pair: `${from.called} to ${to.called}`, words: 'no path is planned' };
		const path = pathAt(index);
		const wanted = isAstray(index) ? `, planned ${pathWords(pathOf(planned[index]!))}` : '';
		const time = times[index]! > 0 ? `, ${times[index]} ms there and back` : '';
		const minutes = ages[index]!;
		const age =
			path === null
				? from.isConnected
					? ''
					: '; it is not connected'
				: minutes < 1
					? ', looked at just now'
					: minutes < 120
						? `, looked at ${minutes} min ago`
						: `, looked at ${Math.floor(minutes / 60)} h ago`;
		return { pair: `${from.called} to ${to.called}`, words: `${pathWords(path)}${wanted}${time}${age}` };
	});
</script>

<div bind:clientWidth={width} class="overflow-hidden">
	<p class="min-h-6 text-sm" aria-live="polite">
		{#if said}<b>{said.pair}</b>: {said.words}{:else}<span class="quiet"
				>Rows ask, columns answer. Point at a cell, or move with the arrow keys; Enter opens what both
				answered.</span
			>{/if}
	</p>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (its role says that keys are its own) -->
	<div
		class="relative mt-1 cursor-pointer"
		style:width="{width}px"
		style:height="{height}px"
		tabindex="0"
		role="application"
		aria-label="Who reaches whom; the table says the same"
		onpointermove={(event) => (at = cellUnder(event))}
		onpointerleave={() => (at = null)}
		onclick={(event) => open(cellUnder(event))}
		onkeydown={move}
	>
		<canvas bind:this={canvas} class="absolute inset-0 h-full w-full" aria-hidden="true"></canvas>
		<canvas bind:this={above} class="absolute inset-0 h-full w-full" aria-hidden="true"></canvas>
	</div>
</div>
