import ICAL from 'ical.js';
import { cleanText } from '../text';
import { MOST_DAYS } from './rule';

export interface HolidayDay {
	readonly day: string;
	readonly words: string;
}
export type Holidays =
	| { readonly ok: true; readonly days: readonly HolidayDay[] }
	| { readonly ok: false; readonly message: string };

/** A calendar longer than this is none that lists holidays. In characters. */
export const LONGEST_CALENDAR = 256 * 1024;
/** Of one event so many days are taken, however often it comes again. */
const MOST_STEPS = 20_000;

/**
 * The whole days that a calendar (iCalendar, RFC 5545) lists between two dates (`2026-12-25`, both included): each day of
 * each event that has dates instead of times, those that come again included, without the dates they leave out; the name
 * of each from its summary. Events with times, and cancelled ones, are no holidays. Refused: a date that no month has. At most 400 days.
 */
export function readHolidays(text: string, first: string, last: string): Holidays {
	if (text.length > LONGEST_CALENDAR) return { ok: false, message: 'This calendar is longer than 256 kB.' };
	let calendar: ICAL.Component;
	try {
		calendar = new ICAL.Component(ICAL.parse(text) as unknown[]);
	} catch {
		return { ok: false, message: 'This is no calendar in the format iCalendar (.ics).' };
	}
	const days = new Map<string, string>();
	try {
		for (const event of calendar.getAllSubcomponents('vevent')) addDays(days, event, first, last);
	} catch (error) {
		return {
			ok: false,
			message: `An event of this calendar makes no sense: ${cleanText(String((error as Error).message)).slice(0, 200)}`
		};
	}
	if (days.size === 0) return { ok: false, message: `It lists no whole day between ${first} and ${last}.` };
	if (days.size > MOST_DAYS) return { ok: false, message: `It lists more than ${MOST_DAYS} days.` };
	return {
		ok: true,
		days: [...days].sort(([a], [b]) => (a < b ? -1 : 1)).map(([day, words]) => ({ day, words }))
	};
}

function addDays(days: Map<string, string>, component: ICAL.Component, first: string, last: string): void {
	const event = new ICAL.Event(component);
	if (!event.startDate?.isDate || component.getFirstPropertyValue('status') === 'CANCELLED') return;
	for (const property of component.getAllProperties())
		if (property.type === 'date')
			for (const day of property.toJSON().slice(3))
				if (!isDay(day)) throw new Error(`there is no day ${String(day)}.`);
	const words = cleanText(event.summary ?? '')
		.trim()
		.slice(0, 120);
	// Without an end it lasts its one day (RFC 5545 §3.6.1)
	const length = Math.max(1, Math.round(event.duration.toSeconds() / 86_400));
	const begin = (start: ICAL.Time) => {
		const day = start.clone();
		for (let count = 0; count < Math.min(length, MOST_DAYS + 1); count++, day.adjust(1, 0, 0, 0)) {
			const date = dateOf(day);
			if (date >= first && date <= last && days.size <= MOST_DAYS) days.set(date, words);
		}
	};
	if (!event.isRecurring()) return begin(event.startDate);
	const repeated = event.iterator();
	for (let steps = 0; steps < MOST_STEPS; steps++) {
		const start = repeated.next() as ICAL.Time | undefined;
		if (!start || dateOf(start) > last) return;
		begin(start);
	}
}

/** The library takes 30 February as 2 March. */
const isDay = (text: unknown): boolean => {
	const time = Date.parse(`${String(text)}T00:00:00Z`);
	return !Number.isNaN(time) && new Date(time).toISOString().startsWith(String(text));
};

const dateOf = ({ year, month, day }: ICAL.Time): string =>
	`${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
