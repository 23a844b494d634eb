import { scaleUtc, utcFormat } from 'd3';

/** How far a zone's clock is ahead of UTC at a moment, in milliseconds. */
function zoneOffset(zone: string, at: number): number {
	const parts = new Intl.DateTimeFormat('en', {
		timeZone: zone,
		year: 'numeric',
		month: 'numeric',
		day: 'numeric',
		hour: 'numeric',
		minute: 'numeric',
		second: 'numeric',
		hourCycle: 'h23'
	}).formatToParts(at);
	const part = (type: string) => Number(parts.find((one) => one.type === type)!.value);
	const local = Date.UTC(
		part('year'),
		part('month') - 1,
		part('day'),
		part('hour'),
		part('minute'),
		part('second')
	);
	return local - Math.floor(at / 1000) * 1000;
}

const DAY_MS = 86_400_000;
/** Where marks stand on a time axis, by a place's own clock, and what they say; about one in so many pixels. */
const APART = 86;

export function timeMarks(
	from: number,
	to: number,
	width: number,
	zone: string
): { at: number; words: string }[] {
	// One offset for all: over a change of the clock a mark may stand an hour beside its place
	const ahead = zoneOffset(zone, (from + to) / 2);
	const most = Math.max(2, Math.floor(width / APART));
	const ticks = scaleUtc([new Date(from + ahead), new Date(to + ahead)], [0, width]).ticks(most);
	// Round times may be many more than were asked for
	const every = Math.ceil(ticks.length / most);
	const length = to - from;
	const words = utcFormat(
		length <= 2 * DAY_MS
			? '%H:%M'
			: length <= 60 * DAY_MS
				? '%-d %b'
				: length <= 400 * DAY_MS
					? '%-d %b'
					: '%b %Y'
	);
	const day = utcFormat('%a %-d %b');
	return ticks
		.filter((_, nth) => nth % every === 0)
		.map((tick) => ({
			at: tick.getTime() - ahead,
			words: length <= 2 * DAY_MS && tick.getTime() % DAY_MS === 0 ? day(tick) : words(tick)
		}));
}
