/**
 * How finely figures are kept: every reading for a while, then what it came to in each hour, then in each day of the
 * place's own calendar.
 */
export type Grain = 'reading' | 'hour' | 'day';

/** How often a unit is read, in milliseconds; a reading stands for as long. */
export const SLOT_MS = 5 * 60_000;
const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;

/** A figure over a stretch of time; `known`: of the whole, for which share anything is known, from 0 to 1. */
export interface Point {
	/** Where the stretch begins, in milliseconds. */
	readonly at: number;
	readonly min: number;
	readonly mean: number;
	readonly max: number;
	readonly known: number;
}
export interface Series {
	readonly key: string;
	readonly points: readonly Point[];
}

const lengthOfGrain = (grain: Grain): number =>
	grain === 'reading' ? SLOT_MS : grain === 'hour' ? HOUR_MS : DAY_MS;

/** How far back each grain goes, in days; readings and hours by what is set, days as long as the customer's term. */
export interface Kept {
	readonly reading: number;
	readonly hour: number;
}
/** A chart has no more points than this: more are narrower than a line. */
const MOST_POINTS = 800;

/** What was asked for a while ago (a chart whose file is taken away) is drawn from the same grain; so long nothing is let go. */
const SINCE_ASKED_MS = HOUR_MS;

/** The finest grain that is kept for all of a span and draws it in no more points than can be seen. */
export function grainFor(
	span: { readonly from: number; readonly to: number },
	now: number,
	kept: Kept
): Grain {
	const fits = (grain: 'reading' | 'hour') =>
		span.from >= now - kept[grain] * DAY_MS - SINCE_ASKED_MS &&
		(span.to - span.from) / lengthOfGrain(grain) <= MOST_POINTS;
	return fits('reading') ? 'reading' : fits('hour') ? 'hour' : 'day';
}

/**
 * A series cut where it is not known: two points further apart than a stretch and a half are not joined, so that a gap is
 * seen as one. Law: the pieces put together are the series.
 */
export function unbroken(points: readonly Point[], grain: Grain): Point[][] {
	const apart = lengthOfGrain(grain) * 1.5;
	const pieces: Point[][] = [];
	for (const point of points) {
		const last = pieces.at(-1)?.at(-1);
		if (last && point.at - last.at <= apart) pieces.at(-1)!.push(point);
		else pieces.push([point]);
	}
	return pieces;
}

/** What a series came to: the mean weighed by what is known. Null where there is nothing. */
export function summed(points: readonly Point[]): Omit<Point, 'at'> | null {
	const seen = points.filter((point) => point.known > 0);
	const known = seen.reduce((sum, point) => sum + point.known, 0);
	if (known === 0) return null;
	return {
		min: Math.min(...seen.map(({ min }) => min)),
		mean: seen.reduce((sum, point) => sum + point.mean * point.known, 0) / known,
		max: Math.max(...seen.map(({ max }) => max)),
		known: known / points.length
	};
}
