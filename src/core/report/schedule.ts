import { Temporal } from 'temporal-polyfill';
import * as v from 'valibot';
import { isTimeZone } from '../plan';
import { periodBefore } from './parts';

/** How often a report is sent; each is about the whole day, week or month before. */
export const EVERY = { day: 'every day', week: 'every week', month: 'every month' } as const;
export type Every = keyof typeof EVERY;
export const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const; // prettier-ignore
/** Every month has it. */
const LAST_DAY = 28;
const MOST_RECIPIENTS = 20;
/** After a time in which nothing was running, at most so many are made up for: the latest. */
const MOST_MISSED = 7;

export interface Rhythm {
	readonly every: Every;
	/** Of a week the day from 1 (Monday) to 7, of a month the day from 1 to 28; of a day nothing. */
	readonly onDay: number;
	/** By the clock of the zone, 0 to 23. */
	readonly hour: number;
	/** An IANA name. */
	readonly zone: string;
}

const whole = (least: number, most: number, words: string) =>
	v.pipe(
		v.string(words),
		v.regex(/^\d{1,2}$/, words),
		v.transform(Number),
		v.minValue(least, words),
		v.maxValue(most, words)
	);

/** Addresses of letters, one on a line or parted by commas; each once, whatever its case. */
export const recipientsSchema = v.pipe(
	v.string('To whom?'),
	v.maxLength(8_000, 'This is too long.'),
	v.transform((text) => [
		...new Map(
			text
				.split(/[\s,;]+/)
				.filter(Boolean)
				.map((one) => [one.toLowerCase(), one])
		).values()
	]),
	v.minLength(1, 'To whom?'),
	v.maxLength(MOST_RECIPIENTS, `At most ${MOST_RECIPIENTS} addresses.`),
	v.rawCheck(({ dataset, addIssue }) => {
		const wrong = dataset.typed ? dataset.value.find((one) => !isAddress(one)) : undefined;
		if (wrong !== undefined) addIssue({ message: `“${wrong.slice(0, 60)}” is no e-mail address.` });
	})
);
const isAddress = (text: string): boolean => text.length <= 254 && v.is(v.pipe(v.string(), v.email()), text);

/** A schedule as its form gives it. */
export const RHYTHM_FIELDS = {
	every: v.picklist(Object.keys(EVERY) as Every[], 'How often?'),
	weekday: whole(1, WEEKDAYS.length, 'On which day of the week?'),
	monthDay: whole(1, LAST_DAY, `On which day of the month, 1 to ${LAST_DAY}?`),
	hour: whole(0, 23, 'At which hour?'),
	zone: v.pipe(
		v.string('By the clock of which zone?'),
		v.check((zone) => isTimeZone(zone), 'There is no such time zone.')
	)
};

export interface Slot {
	/** The day on which it is sent, in the zone: names it. */
	readonly day: string;
	/** When, in milliseconds since the epoch. */
	readonly at: number;
	/** The first and the last day that it is about. */
	readonly from: string;
	readonly to: string;
}

/**
 * What is due now and was not before: after the day of the last one (null: none yet, and what was due before `since` is not
 * made up for), the oldest first.
 * Laws: the days rise; each is due when a clock in the zone first shows the hour on it, or, where the zone skips that hour,
 * the moment after; no day comes twice, whatever becomes of the zone's rules.
 */
export function slotsDue(rhythm: Rhythm, after: string | null, since: number, now: number): readonly Slot[] {
	const slots: Slot[] = [];
	for (const slot of slotsBefore(rhythm, now)) {
		if (slots.length === MOST_MISSED || slot.at < since || (after !== null && slot.day <= after)) break;
		slots.unshift(slot);
	}
	return slots;
}

/** When the next one is sent. */
export function nextSlot(rhythm: Rhythm, after: string | null, now: number): Slot {
	let day = dayIn(rhythm.zone, now);
	for (;;) {
		const slot = isOn(rhythm, day) ? slotOn(rhythm, day) : null;
		if (slot && slot.at > now && (after === null || slot.day > after)) return slot;
		day = day.add({ days: 1 });
	}
}

function* slotsBefore(rhythm: Rhythm, now: number): Generator<Slot> {
	// A clock ahead of the zone's may show tomorrow there
	for (let day = dayIn(rhythm.zone, now); ; day = day.subtract({ days: 1 })) {
		const slot = isOn(rhythm, day) ? slotOn(rhythm, day) : null;
		if (slot && slot.at <= now) yield slot;
	}
}

const dayIn = (zone: string, at: number): Temporal.PlainDate =>
	Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDate();

const isOn = ({ every, onDay }: Rhythm, day: Temporal.PlainDate): boolean =>
	every === 'day' || (every === 'week' ? day.dayOfWeek : day.day) === onDay;

function slotOn({ every, hour, zone }: Rhythm, date: Temporal.PlainDate): Slot {
	const at = date.toPlainDateTime({ hour }).toZonedDateTime(zone, { disambiguation: 'compatible' });
	const day = date.toString();
	return { day, at: at.epochMilliseconds, ...periodBefore(every, day) };
}

/** `every Monday at 07:00`, by the clock of its zone. */
export const rhythmWords = ({ every, onDay, hour }: Rhythm): string =>
	`${
		every === 'day'
			? EVERY.day
			: every === 'week'
				? `every ${WEEKDAYS[onDay - 1]}`
				: `on day ${onDay} of every month`
	} at ${String(hour).padStart(2, '0')}:00`;
