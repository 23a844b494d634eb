import * as v from 'valibot';
import { isTimeZone, readLocalTime, writeLocalTime } from '../plan';

/**
 * When disruptive acts are allowed, as structure: hours of the week, days without, single occasions. Stated for a
 * customer, a pattern of sites, or a site, always in the site's own time. Opening hours are something else.
 */
export const MOST_HOURS = 50;
export const MOST_DAYS = 400;
const MOST_OCCASIONS = 50;

const day = v.pipe(v.string(), v.isoDate('A day is like 2026-12-25.'));
const minute = v.pipe(v.string(), v.regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, 'A time is like 22:00.'));
const words = v.pipe(v.string(), v.trim(), v.maxLength(120, 'At most 120 characters.'));
/** `2026-12-01T22:00`, without a zone: it counts in the time of the site. */
const localTime = v.pipe(
	v.string(),
	v.rawTransform(({ dataset: { value }, addIssue, NEVER }) => {
		const read = readLocalTime(value, 'UTC');
		if (read.ok) return writeLocalTime(read.at, 'UTC').replace(' ', 'T');
		addIssue({ message: read.message });
		return NEVER;
	})
);

const weeklyHoursSchema = v.object({
	/** 1 Monday … 7 Sunday (ISO 8601): the days on which it begins. */
	days: v.pipe(
		v.array(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(7))),
		v.minLength(1, 'On which days?'),
		v.maxLength(7)
	),
	from: minute,
	/** Not after `from`: it ends on the day after. */
	to: minute
});
export type WeeklyHours = Readonly<v.InferOutput<typeof weeklyHoursSchema>>;

export const windowRuleSchema = v.object({
	/** null: what is stated further out counts. */
	hours: v.nullable(v.pipe(v.array(weeklyHoursSchema), v.maxLength(MOST_HOURS, `At most ${MOST_HOURS}.`))),
	/** Whole days on which no window begins and none goes on. */
	without: v.pipe(v.array(v.object({ day, words })), v.maxLength(MOST_DAYS, `At most ${MOST_DAYS} days.`)),
	/** Single occasions: allowed then whatever else is stated. */
	once: v.pipe(
		v.array(
			v.pipe(
				v.object({ from: localTime, to: localTime, words }),
				v.check(({ from, to }) => to > from, 'It ends after it begins.')
			)
		),
		v.maxLength(MOST_OCCASIONS, `At most ${MOST_OCCASIONS}.`)
	),
	/** Whether the site's contact is asked first; null: as stated further out. */
	asksFirst: v.nullable(v.boolean())
});
export type WindowRule = Readonly<v.InferOutput<typeof windowRuleSchema>>;

export const NO_RULE: WindowRule = { hours: null, without: [], once: [], asksFirst: null };

/** The window of one site. */
export interface Window extends Omit<WindowRule, 'hours' | 'asksFirst'> {
	/** null: at any time, but for the days without. */
	readonly hours: readonly WeeklyHours[] | null;
	readonly asksFirst: boolean;
	readonly zone: string;
}

/**
 * What counts at a site. `rules`: outermost first. The innermost that states hours (or whether the contact is asked)
 * counts; days without and single occasions of all of them add up. Throws when `zone` is none.
 */
export function windowOf(rules: readonly WindowRule[], zone: string): Window {
	if (!isTimeZone(zone)) throw new RangeError(`${zone} is no time zone.`);
	return {
		hours: rules.findLast(({ hours }) => hours !== null)?.hours ?? null,
		asksFirst: rules.findLast(({ asksFirst }) => asksFirst !== null)?.asksFirst ?? false,
		without: rules.flatMap(({ without }) => without),
		once: rules.flatMap(({ once }) => once),
		zone
	};
}

/** Whether anything restricts it. */
export const isRestricted = ({ hours, without }: Pick<Window, 'hours' | 'without'>): boolean =>
	hours !== null || without.length > 0;

/** By ISO 8601: the first is 1. */
export const SHORT_WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const;

/** Days in words; three and more on end as a range: `Mon–Fri, Sun`. */
function daysInWords(days: readonly number[]): string {
	const runs: number[][] = [];
	for (const day of [...days].sort()) {
		if (runs.at(-1)?.at(-1) === day - 1) runs.at(-1)!.push(day);
		else runs.push([day]);
	}
	return runs
		.map((run) => run.map((day) => SHORT_WEEKDAYS[day - 1]!))
		.map((run) => (run.length > 2 ? `${run[0]}–${run.at(-1)}` : run.join(', ')))
		.join(', ');
}

/** Hours of the week in words: `Mon, Tue 22:00–06:00; Sat all day`. */
export function hoursInWords(hours: Window['hours']): string {
	if (hours === null) return 'At any time';
	if (hours.length === 0) return 'Never';
	return hours
		.map(({ days, from, to }) => {
			const named = days.length === 7 ? 'Every day' : daysInWords(days);
			const lasts = from !== to ? `–${to}` : ' for a day';
			return `${named} ${from === '00:00' && from === to ? 'all day' : from + lasts}`;
		})
		.join('; ');
}
