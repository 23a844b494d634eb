/**
 * Moments in words, the same everywhere: `Thu 26 Nov, 10:00`. All take milliseconds since the epoch or a Date,
 * and an IANA time zone; without one it is the reader's own.
 */
type Moment = Date | number;

const SHAPES = {
	day: { weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' },
	date: { year: 'numeric', month: '2-digit', day: '2-digit' },
	hour: { hour: '2-digit', minute: '2-digit' },
	weekday: { weekday: 'short' },
	zone: { timeZoneName: 'short' }
} as const satisfies Record<string, Intl.DateTimeFormatOptions>;
type Shape = keyof typeof SHAPES;

/** Kept, as making one takes many times as long as using it and a list shows hundreds of moments. */
const formats = new Map<string, Intl.DateTimeFormat>();
const MOST_FORMATS = 2_000;

function formatOf(shape: Shape, timeZone: string | undefined): Intl.DateTimeFormat {
	const key = `${shape} ${timeZone ?? ''}`;
	const kept = formats.get(key);
	if (kept) return kept;
	if (formats.size >= MOST_FORMATS) formats.clear();
	const made = new Intl.DateTimeFormat('en-GB', { ...SHAPES[shape], timeZone, hourCycle: 'h23' });
	formats.set(key, made);
	return made;
}

const partsOf = (at: Moment, timeZone: string | undefined, shape: Shape) =>
	Object.fromEntries(
		formatOf(shape, timeZone)
			.formatToParts(at)
			.map(({ type, value }) => [type, value])
	) as Partial<Record<Intl.DateTimeFormatPartTypes, string>>;

/** `Thu 26 Nov`; with the year where it is not this one, as `now` says. */
export function dayOf(at: Moment, timeZone?: string, now: Moment = at): string {
	const { weekday, day, month, year } = partsOf(at, timeZone, 'day');
	return `${weekday} ${day} ${month}${partsOf(now, timeZone, 'day').year === year ? '' : ` ${year}`}`;
}

/** `10:00`. */
export function hourOf(at: Moment, timeZone?: string): string {
	const { hour, minute } = partsOf(at, timeZone, 'hour');
	return `${hour}:${minute}`;
}

/** `10:00:05`. */
export const secondOf = (at: Moment, timeZone?: string): string =>
	`${hourOf(at, timeZone)}:${String(new Date(at).getUTCSeconds()).padStart(2, '0')}`;

/** `Thu 26 Nov, 10:00`. */
export const momentOf = (at: Moment, timeZone?: string, now: Moment = at): string =>
	`${dayOf(at, timeZone, now)}, ${hourOf(at, timeZone)}`;

/** `Thu 10:00`, where the day is near. */
export const weekdayOf = (at: Moment, timeZone?: string): string =>
	`${partsOf(at, timeZone, 'weekday').weekday} ${hourOf(at, timeZone)}`;

/** All of it, with its zone: `Thu 26 Nov 2026, 10:00:05 GMT+13`. */
export function exactly(at: Moment, timeZone?: string): string {
	const { timeZoneName } = partsOf(at, timeZone, 'zone');
	return `${dayOf(at, timeZone, 0)}, ${secondOf(at, timeZone)} ${timeZoneName}`;
}

const DAY_MS = 86_400_000;
const RELATIVE = new Intl.RelativeTimeFormat('en', { numeric: 'auto', style: 'short' });
/**
 * How far a moment is from now: `just now`, `2 min. ago`, `in 3 hr.`; from a day on by the calendar, so that `tomorrow` is
 * the next day and never the one after.
 */
export function relatively(at: Moment, now: Moment, timeZone?: string): string {
	// What has just happened elsewhere can seem to be a moment ahead
	const ahead = (+at - +now) / 1000;
	const seconds = ahead > 0 && ahead < 60 ? 0 : ahead;
	if (Math.abs(seconds) < 10) return 'just now';
	if (Math.abs(seconds) < 60) return RELATIVE.format(Math.trunc(seconds), 'second');
	if (Math.abs(seconds) < 3_600) return RELATIVE.format(Math.trunc(seconds / 60), 'minute');
	if (Math.abs(seconds) * 1000 < DAY_MS) return RELATIVE.format(Math.trunc(seconds / 3_600), 'hour');
	return RELATIVE.format((dateOf(at, timeZone) - dateOf(now, timeZone)) / DAY_MS, 'day');
}

/** The day of a moment in a zone, as midnight in UTC. */
function dateOf(at: Moment, timeZone: string | undefined): number {
	const { year, month, day } = partsOf(at, timeZone, 'date');
	return Date.UTC(Number(year), Number(month) - 1, Number(day));
}
