import { Temporal } from 'temporal-polyfill';
import { isRestricted, type WeeklyHours, type Window } from './rule';

/** In milliseconds since the epoch; `until` is not part of it. */
export interface Span {
	readonly from: number;
	readonly until: number;
}

const DAY_MINUTES = 24 * 60;
const MINUTE_MS = 60_000;
/** So far ahead is looked for a window at most. */
const HORIZON_DAYS = 400;

const minutesOf = (time: string): number => Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));

/**
 * The spans in which the window is open between two instants, merged, in order.
 * Law: an instant lies in one of them exactly when a clock on the site's wall shows a time inside the hours (of that
 * day, or of the evening before), neither day being one without; or a time inside a single occasion. So an hour that
 * the zone skips opens nothing, and one that comes twice opens twice.
 */
export function openSpans(window: Window, from: number, until: number): Span[] {
	const spans: Span[] = [];
	for (const day of daysFrom(window, from)) {
		if (day.start >= until) break;
		spans.push(...spansOf(window, day));
	}
	return within(merged([...spans, ...occasions(window)]), from, until);
}

/** The span that is open at an instant, else the next one; null when there is none within 400 days. */
export function nextOpen(window: Window, at: number): Span | null {
	if (!isRestricted(window)) return { from: at, until: at + HORIZON_DAYS * DAY_MINUTES * MINUTE_MS };
	// Only what may touch the first span that is found is looked at
	const once = occasions(window);
	let open: Span[] = [];
	for (const day of daysFrom(window, at)) {
		const found = merged([...open, ...spansOf(window, day)]);
		const first = merged([...found, ...once]).find(({ until }) => until > at);
		// It may go on after midnight
		if (first && first.until < day.end) return { from: Math.max(first.from, at), until: first.until };
		open = found;
	}
	const [first] = within(merged([...open, ...once]), at, Infinity);
	return first ?? null;
}

/** Whether the window is open at an instant. */
export const isOpenAt = (window: Window, at: number): boolean => openSpans(window, at, at + 1).length > 0;

/** A day of the site's calendar, in instants, with its offset from UTC from which instant on. */
interface Day {
	readonly date: string;
	readonly weekday: number;
	readonly start: number;
	readonly end: number;
	readonly offsets: readonly (Span & { readonly minutes: number })[];
}

/** The days of a zone, from the one before an instant on: what began then may go on. */
function* daysFrom({ zone }: Window, at: number): Generator<Day> {
	const first = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDate();
	for (let count = -1; count <= HORIZON_DAYS; count++) {
		const date = first.add({ days: count });
		const [start, end] = [date, date.add({ days: 1 })].map((one) => one.toZonedDateTime(zone)) as [
			Temporal.ZonedDateTime,
			Temporal.ZonedDateTime
		];
		yield {
			date: date.toString(),
			weekday: date.dayOfWeek,
			start: start.epochMilliseconds,
			end: end.epochMilliseconds,
			offsets: offsetsOf(start, end)
		};
	}
}

function offsetsOf(start: Temporal.ZonedDateTime, end: Temporal.ZonedDateTime): Day['offsets'] {
	const offsets = [];
	for (let at = start; at.epochMilliseconds < end.epochMilliseconds;) {
		const change = at.offset === end.offset ? null : at.getTimeZoneTransition('next');
		const next = change && change.epochMilliseconds < end.epochMilliseconds ? change : end;
		offsets.push({
			from: at.epochMilliseconds,
			until: next.epochMilliseconds,
			minutes: at.offsetNanoseconds / 60e9
		});
		at = next;
	}
	return offsets;
}

function spansOf(window: Window, day: Day): Span[] {
	const without = closedDays(window);
	if (without.has(day.date)) return [];
	if (window.hours === null) return [{ from: day.start, until: day.end }];
	const before = Temporal.PlainDate.from(day.date).subtract({ days: 1 });
	return window.hours.flatMap((hours) => [
		...(hours.days.includes(day.weekday) ? onTheClock(day, ...beginning(hours)) : []),
		...(hours.days.includes(before.dayOfWeek) && !without.has(before.toString())
			? onTheClock(day, 0, endingNextDay(hours))
			: [])
	]);
}

const closed = new WeakMap<Window, ReadonlySet<string>>();
function closedDays(window: Window): ReadonlySet<string> {
	const known = closed.get(window) ?? new Set(window.without.map(({ day }) => day));
	closed.set(window, known);
	return known;
}

/** The part of hours that lies on the day on which they begin, in minutes of the wall's clock. */
const beginning = ({ from, to }: WeeklyHours): [number, number] => [
	minutesOf(from),
	to > from ? minutesOf(to) : DAY_MINUTES
];
const endingNextDay = ({ from, to }: WeeklyHours): number => (to > from ? 0 : minutesOf(to));

/** When the wall's clock shows a time from `from` up to, not including, `to`, in minutes of the day. */
function onTheClock({ date, offsets }: Day, from: number, to: number): Span[] {
	const midnight = Date.parse(`${date}T00:00Z`);
	return offsets.flatMap((part) => {
		const asUtc = midnight - part.minutes * MINUTE_MS;
		return within([{ from: asUtc + from * MINUTE_MS, until: asUtc + to * MINUTE_MS }], part.from, part.until);
	});
}

const occasions = ({ once, zone }: Window): Span[] =>
	once.map(({ from, to }) => {
		// A time that is skipped is the moment of the change; one that comes twice begins at the first and ends with the second
		const [begins, ends] = [from, to].map((text) => Temporal.PlainDateTime.from(text)) as [
			Temporal.PlainDateTime,
			Temporal.PlainDateTime
		];
		return {
			from: begins.toZonedDateTime(zone, { disambiguation: 'compatible' }).epochMilliseconds,
			until: ends.toZonedDateTime(zone, { disambiguation: 'later' }).epochMilliseconds
		};
	});

function merged(spans: readonly Span[]): Span[] {
	const found: { from: number; until: number }[] = [];
	for (const { from, until } of [...spans].sort((a, b) => a.from - b.from)) {
		if (until <= from) continue;
		const last = found.at(-1);
		if (last && from <= last.until) last.until = Math.max(last.until, until);
		else found.push({ from, until });
	}
	return found;
}

const within = (spans: readonly Span[], from: number, until: number): Span[] =>
	spans
		.map((span) => ({ from: Math.max(span.from, from), until: Math.min(span.until, until) }))
		.filter((span) => span.from < span.until);
