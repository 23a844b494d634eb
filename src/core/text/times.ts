/**
 * Moments in words, the same everywhere: `Thu 26 Nov, 10:00`. All take milliseconds since the epoch or a Date,
 * and an IANA time zone; without one it is the reader's own.
 */
type Moment = Date | number;

const partsOf = (at: Moment, timeZone: string | undefined, options: Intl.DateTimeFormatOptions) =>
	Object.fromEntries(
		new Intl.DateTimeFormat('en-GB', { ...options, timeZone, hourCycle: 'h23' })
			.formatToParts(at)
			.map(({ type, value }) => [type, value])
	) as Partial<Record<Intl.DateTimeFormatPartTypes, string>>;

/** `Thu 26 Nov`; with the year where it is not this one, as `now` says. */
export function dayOf(at: Moment, timeZone?: string, now: Moment = at): string {
	const options = { weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' } as const;
	const { weekday, day, month, year } = partsOf(at, timeZone, options);
	return `${weekday} ${day} ${month}${partsOf(now, timeZone, options).year === year ? '' : ` ${year}`}`;
}

/** `10:00`. */
export function hourOf(at: Moment, timeZone?: string): string {
	const { hour, minute } = partsOf(at, timeZone, { hour: '2-digit', minute: '2-digit' });
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
	`${partsOf(at, timeZone, { weekday: 'short' }).weekday} ${hourOf(at, timeZone)}`;

/** All of it, with its zone: `Thu 26 Nov 2026, 10:00:05 GMT+13`. */
export function exactly(at: Moment, timeZone?: string): string {
	const { timeZoneName } = partsOf(at, timeZone, { timeZoneName: 'short' });
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
	const { year, month, day } = partsOf(at, timeZone, { year: 'numeric', month: '2-digit', day: '2-digit' });
	return Date.UTC(Number(year), Number(month) - 1, Number(day));
}
