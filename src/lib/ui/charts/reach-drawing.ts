import { pathOf, PATHS, type Path } from '$core/reachability';

/** What a matrix is drawn from: of each pair an octet or two, row by row, and which places are shown in which order. */
export interface ReachCells {
	readonly paths: Uint8Array;
	readonly planned: Uint8Array;
	/** Minutes since it was looked at. */
	readonly ages: Uint16Array;
	/** How many places there are in all. */
	readonly count: number;
	/** Numbers of those that are shown. */
	readonly shown: readonly number[];
}
/** Colours as the theme has them, `#rrggbb`. */
export type ReachColours = Readonly<Record<Path | 'paper' | 'ink' | 'hairline' | 'marigold', string>>;

export function coloursOf(element: Element): ReachColours {
	const style = getComputedStyle(element);
	const of = (name: string) => style.getPropertyValue(name).trim();
	return {
		paper: of('--paper'),
		ink: of('--ink'),
		hairline: of('--hairline'),
		marigold: of('--marigold'),
		direct: of('--pine'),
		hub: of('--quiet'),
		other: of('--amber'),
		none: of('--brick'),
		unread: of('--brick')
	};
}

/** After so many minutes a cell is as pale as it gets, in so many steps. */
const PALE_AFTER = 180;
const PALE_STEPS = 5;
const stepOf = (age: number) => Math.min(PALE_STEPS - 1, Math.floor((age / PALE_AFTER) * PALE_STEPS));
const strength = (step: number) => 1 - (0.6 * step) / (PALE_STEPS - 1);

const octets = (hex: string): readonly number[] => {
	const [, digits = '888888'] = /^#([0-9a-f]{6})$/i.exec(hex) ?? [];
	return [0, 2, 4].map((at) => parseInt(digits.slice(at, at + 2), 16));
};

/** The whole matrix with one pixel for each pair, for as long as cells are too small for shapes. */
export function overviewOf(cells: ReachCells, colours: ReachColours): HTMLCanvasElement {
	const { paths, ages, count, shown } = cells;
	const paper = octets(colours.paper);
	const mixed = (hex: string, share: number): number =>
		octets(hex).reduce(
			(pixel, part, at) => pixel | (Math.round(paper[at]! + (part - paper[at]!) * share) << (8 * at)),
			0xff000000
		);
	const table = Array.from({ length: PATHS.length + 1 }, (_, code) =>
		Array.from({ length: PALE_STEPS }, (_, step) =>
			code === 0 ? mixed(colours.hairline, 0.4) : mixed(colours[PATHS[code - 1]!], strength(step))
		)
	);
	const overview = document.createElement('canvas');
	overview.width = overview.height = shown.length;
	const context = overview.getContext('2d')!;
	const image = context.createImageData(shown.length, shown.length);
	const pixels = new Uint32Array(image.data.buffer);
	let pixel = 0;
	for (const row of shown)
		for (const column of shown) {
			const index = row * count + column;
			pixels[pixel++] = table[paths[index]!]![stepOf(ages[index]!)]!;
		}
	context.putImageData(image, 0, 0);
	return overview;
}

/** Which rows or columns are in sight. */
export interface Span {
	readonly first: number;
	readonly last: number;
}

/** The cells in sight by their shapes. Each shape is drawn once and copied from there: thousands of strokes take too long. */
export function drawCells(
	context: CanvasRenderingContext2D,
	{ paths, planned, ages, count, shown }: ReachCells,
	colours: ReachColours,
	place: { readonly size: number; readonly left: number; readonly top: number; readonly ratio: number },
	rows: Span,
	columns: Span
): void {
	const { size, ratio } = place;
	const stamps = new Map<number, HTMLCanvasElement>();
	const stampOf = (code: number, step: number, isAstray: boolean): HTMLCanvasElement => {
		const key = (code * PALE_STEPS + step) * 2 + Number(isAstray);
		let stamp = stamps.get(key);
		if (!stamp) stamps.set(key, (stamp = stampFor(pathOf(code), step, isAstray, colours, size * ratio)));
		return stamp;
	};
	// In whole pixels and as large as it is: copied, not computed
	context.save();
	context.setTransform(1, 0, 0, 1, 0, 0);
	for (let row = rows.first; row < rows.last; row++)
		for (let column = columns.first; column < columns.last; column++) {
			const index = shown[row]! * count + shown[column]!;
			const code = paths[index]!;
			if (row === column || planned[index] === 0) continue;
			const isAstray = code !== 0 && code !== planned[index];
			const step = code === 0 ? 0 : stepOf(ages[index]!);
			context.drawImage(
				stampOf(code, step, isAstray),
				Math.round((place.left + column * size) * ratio),
				Math.round((place.top + row * size) * ratio)
			);
		}
	context.restore();
}

/** One cell, on a ground of its own where its path is not as planned. */
function stampFor(
	path: Path | null,
	step: number,
	isAstray: boolean,
	colours: ReachColours,
	size: number
): HTMLCanvasElement {
	const stamp = document.createElement('canvas');
	stamp.width = stamp.height = Math.max(1, Math.ceil(size));
	const context = stamp.getContext('2d')!;
	if (isAstray && path !== 'none') {
		context.globalAlpha = 0.35;
		context.fillStyle = colours.marigold;
		context.fillRect(0, 0, stamp.width, stamp.height);
	}
	context.globalAlpha = path === null ? 1 : strength(step);
	context.strokeStyle = context.fillStyle = path === null ? colours.hairline : colours[path];
	context.lineWidth = Math.max(1.2, stamp.width / (path === 'direct' ? 5 : 9));
	const shape = new Path2D();
	trace(shape, path, 0, 0, stamp.width);
	if (path === 'none' || path === null) context.fill(shape);
	else context.stroke(shape);
	return stamp;
}

/** A path's shape: straight, bent over the hub, a ring for another way, a diamond where there is none or none is known. */
function trace(shape: Path2D, path: Path | null, x: number, y: number, size: number): void {
	const [pad, middle, end] = [size * 0.2, size / 2, size * 0.8];
	if (path === 'direct') {
		shape.moveTo(x + pad, y + middle);
		shape.lineTo(x + end, y + middle);
	} else if (path === 'hub') {
		shape.moveTo(x + pad, y + end);
		shape.lineTo(x + middle, y + size * 0.28);
		shape.lineTo(x + end, y + end);
	} else if (path === 'other' || path === null) {
		const radius = path === null ? 1 : size * 0.25;
		shape.moveTo(x + middle + radius, y + middle);
		shape.arc(x + middle, y + middle, radius, 0, 2 * Math.PI);
	} else {
		shape.moveTo(x + middle, y + pad);
		shape.lineTo(x + end, y + middle);
		shape.lineTo(x + middle, y + end);
		shape.lineTo(x + pad, y + middle);
		shape.closePath();
	}
}
