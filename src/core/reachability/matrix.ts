import { commonCause, type Cause } from './cause';
import { matrixOrder } from './order';
import { PATHS, Plan, type Path, type Place, type SeenPair } from './places';

/**
 * A matrix in few bytes: row by row for each place that asks, in it one octet for each place asked about. 0 where nobody
 * looked yet, else the path's number in `PATHS` and one.
 */
export const codeOf = (path: Path): number => PATHS.indexOf(path) + 1;
export const pathOf = (code: number): Path | null => PATHS[code - 1] ?? null;

export interface MatrixInput {
	readonly places: readonly Place[];
	/** How each is called, in the same order. */
	readonly names: readonly string[];
	readonly paths: Uint8Array;
}
export interface Arranged {
	/** Numbers of places, in the order in which they are drawn. */
	readonly order: readonly number[];
	readonly cause: Cause | null;
}

/** In which order a matrix is drawn, and what its failing pairs share. */
export function arrange({ places, names, paths }: MatrixInput): Arranged {
	const plan = new Plan(places);
	const seen: SeenPair[] = [];
	paths.forEach((code, at) => {
		const path = pathOf(code);
		if (path === null) return;
		const from = places[Math.floor(at / places.length)]!.id;
		seen.push({ from, to: places[at % places.length]!.id, path, lookedAt: 0 });
	});
	const numberOf = new Map(places.map(({ id }, index) => [id, index]));
	return {
		order: matrixOrder(plan, seen, (id) => names[numberOf.get(id)!]!).map((id) => numberOf.get(id)!),
		cause: commonCause(plan, seen)
	};
}

/** The same values in another order of places, rows and columns alike. */
export function reordered<Cells extends Uint8Array | Uint16Array>(
	cells: Cells,
	order: readonly number[]
): Cells {
	const result = cells.slice() as Cells;
	order.forEach((from, row) =>
		order.forEach((to, column) => {
			result[row * order.length + column] = cells[from * order.length + to]!;
		})
	);
	return result;
}
