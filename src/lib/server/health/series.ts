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

/** Where each grain is kept, and what reads the figures of its rows, as `low`, `mean`, `high` and `known`. */
const TABLES: Readonly<Record<Grain, readonly [table: string, figures: string]>> = {
	reading: [
		'health_reading',
		'(select key, value as low, value as mean, value as high, 1 as known from limen_moment(row.keys, row.figures))'
	],
	hour: ['health_hour', 'limen_stretch(row.keys, row.figures)'],
	day: ['health_day', 'limen_stretch(row.keys, row.figures)']
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
	const [table, figuresInRow] = TABLES[grain];
	const { rows } = await database().raw(
		`select row.unit_id as "unitId", extract(epoch from row.at)::float8 * 1000 as at, key, low, mean, high, known
		from (
			select unit_id, at, keys, figures from ${table} where unit_id = any (:units::uuid[]) and at >= :from and at < :to
			order by at limit ${MOST_ROWS}
		) row cross join lateral ${figuresInRow} f
		where split_part(key, ':', 1) = any (:figures::text[]) order by row.at`,
		{ units: [...unitIds], figures: [...figures], from: new Date(span.from), to: new Date(span.to) }
	);
	const found = new Map<string, { unitId: string; key: string; points: Point[] }>();
	for (const { unitId, at, key, low, mean, high, known } of rows as {
		unitId: string;
		at: number;
		key: string;
		low: number;
		mean: number;
		high: number;
		known: number;
	}[]) {
		if (readKey(key) === null) continue;
		const name = `${unitId} ${key}`;
		const series = found.get(name) ?? { unitId, key, points: [] };
		found.set(name, series);
		series.points.push({ at, min: low, mean, max: high, known });
	}
	return { grain, series: [...found.values()] };
}
