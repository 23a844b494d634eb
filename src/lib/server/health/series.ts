import {
	grainFor,
	readKey,
	type Figure,
	type Grain,
	type Point,
	type Series,
	type Span
} from '../../../core/health';
import { database, timeNow } from '../database';
import { currentSettings } from '../settings';

const TABLES: Readonly<Record<Grain, string>> = {
	reading: 'health_reading',
	hour: 'health_hour',
	day: 'health_day'
};

export interface SeriesOfUnit extends Series {
	readonly unitId: string;
}

const healthKept = () => ({
	reading: currentSettings().LIMEN_HEALTH_READINGS,
	hour: currentSettings().LIMEN_HEALTH_HOURS
});

/** So many rows are read for one chart, at most: units times points. */
const MOST_ROWS = 40_000;

/**
 * The figures of units over a span, those of one kind or all, by key; from the finest grain that is kept for all of it.
 * Whoever sees the units' customer may read them.
 */
export async function seriesOf(
	unitIds: readonly string[],
	span: Span,
	figures: readonly Figure[],
	now = timeNow()
): Promise<{ readonly grain: Grain; readonly series: readonly SeriesOfUnit[] }> {
	const grain = grainFor(span, now, healthKept());
	const { rows } = await database().raw(
		`select row.unit_id as "unitId", extract(epoch from row.at)::float8 * 1000 as at, key, value
		from (
			select unit_id, at, figures from ${TABLES[grain]} where unit_id = any (:units::uuid[]) and at >= :from and at < :to
			order by at limit ${MOST_ROWS}
		) row cross join lateral jsonb_each(row.figures) f(key, value)
		where split_part(key, ':', 1) = any (:figures::text[]) order by row.at`,
		{ units: [...unitIds], figures: [...figures], from: new Date(span.from), to: new Date(span.to) }
	);
	const found = new Map<string, { unitId: string; key: string; points: Point[] }>();
	for (const { unitId, at, key, value } of rows as {
		unitId: string;
		at: number;
		key: string;
		value: number | readonly [number, number, number, number];
	}[]) {
		if (readKey(key) === null) continue;
		const name = `${unitId} ${key}`;
		const series = found.get(name) ?? { unitId, key, points: [] };
		found.set(name, series);
		series.points.push(pointOf(at, value));
	}
	return { grain, series: [...found.values()] };
}

const pointOf = (at: number, value: number | readonly [number, number, number, number]): Point =>
	typeof value === 'number'
		? { at, min: value, mean: value, max: value, known: 1 }
		: { at, min: value[0], mean: value[1], max: value[2], known: value[3] };
