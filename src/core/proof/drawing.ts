import type { CableState } from './cabling';

/** A cable as it is drawn: what is written at its two ends, how it was seen, and what is said about that. */
export interface DrawnCable {
	readonly near: DrawnEnd;
	/** Null for the provider's socket. */
	readonly far: DrawnEnd | null;
	readonly state: CableState;
	/** Empty where all is as planned. */
	readonly words: string;
}
interface DrawnEnd {
	/** The device it is plugged into. */
	readonly device: string;
	/** The printed name of the port. */
	readonly port: string;
}
/** Where everything stands, in a frame of `width` by `height`. */
export interface CablingPicture {
	readonly width: number;
	readonly height: number;
	readonly boxWidth: number;
	readonly boxHeight: number;
	/** Centres. The provider's socket, where something is plugged into it. */
	readonly socket: { readonly x: number; readonly y: number } | null;
	readonly boxes: readonly {
		readonly id: string;
		readonly name: string;
		readonly x: number;
		readonly y: number;
	}[];
	readonly lines: readonly (DrawnCable & {
		readonly x1: number;
		readonly y1: number;
		readonly x2: number;
		readonly y2: number;
	})[];
}

const WIDE = 150;
const GAP = 26;
const ROW = 116;
const HIGH = 40;
const MARGIN = 6;

/**
 * Draws a site's cables: what leads outside at the top, below each device what hangs on it. Laws: each device has a place
 * of its own, also where cables lead in a ring; cables of one device leave it side by side, in the order of what hangs there.
 */
export function drawCabling(
	devices: readonly { readonly id: string; readonly name: string }[],
	cables: readonly DrawnCable[]
): CablingPicture {
	const known = new Set(devices.map(({ id }) => id));
	const drawn = cables.filter(
		({ near, far }) => known.has(near.device) && (far === null || known.has(far.device))
	);
	const above = new Map(drawn.map(({ near, far }) => [near.device, far?.device ?? null]));
	const depthOf = (id: string, seen: ReadonlySet<string> = new Set()): number => {
		const next = above.get(id) ?? null;
		return next === null || seen.has(id) ? 1 : depthOf(next, new Set([...seen, id])) + 1;
	};
	const rows = new Map<number, string[]>();
	for (const { id } of devices) {
		const depth = depthOf(id);
		rows.set(depth, [...(rows.get(depth) ?? []), id]);
	}
	const most = Math.max(1, ...[...rows.values()].map(({ length }) => length));
	const width = most * (WIDE + GAP) + GAP;
	const places = new Map(
		[...rows].flatMap(([depth, ids]) => {
			const free = width - ids.length * (WIDE + GAP) + GAP;
			return ids.map(
				(id, index) =>
					[id, { x: free / 2 + index * (WIDE + GAP) + WIDE / 2, y: depth * ROW + HIGH / 2 }] as const
			);
		})
	);
	const hanging = new Map<string, string[]>();
	for (const { near, far } of drawn)
		if (far) hanging.set(far.device, [...(hanging.get(far.device) ?? []), near.device]);
	for (const ids of hanging.values()) ids.sort((a, b) => places.get(a)!.x - places.get(b)!.x);
	return {
		width,
		height: Math.max(1, ...rows.keys()) * ROW + HIGH + MARGIN,
		boxWidth: WIDE,
		boxHeight: HIGH,
		socket: drawn.some(({ far }) => far === null) ? { x: width / 2, y: HIGH / 2 } : null,
		boxes: devices.map(({ id, name }) => ({ id, name, ...places.get(id)! })),
		lines: drawn.map((cable) => {
			const end = places.get(cable.near.device)!;
			const begin = cable.far ? places.get(cable.far.device)! : { x: end.x, y: HIGH / 2 };
			const beside = cable.far ? hanging.get(cable.far.device)! : [];
			const share = (beside.indexOf(cable.near.device) + 1) / (beside.length + 1);
			return {
				...cable,
				x1: cable.far ? begin.x - WIDE / 2 + WIDE * share : begin.x,
				y1: begin.y + HIGH / 2,
				x2: end.x,
				y2: end.y - HIGH / 2
			};
		})
	};
}

/** What is said about a cable that was not seen where it is planned; `elsewhere`: the port in which it was found. */
export function cableWords(state: CableState, elsewhere: string | null): string {
	switch (state) {
		case 'elsewhere':
			return elsewhere === null ? 'in another port' : `is in ${elsewhere}`;
		case 'missing':
			return 'not seen';
		case 'half':
			return 'half seen';
		default:
			return '';
	}
}
