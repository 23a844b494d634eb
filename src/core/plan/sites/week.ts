import { Temporal } from 'temporal-polyfill';

/** A week from Monday to Sunday, as dates: `2026-11-23`. */
export interface Week {
	readonly days: readonly string[];
	readonly before: string;
	readonly after: string;
}

/** The week in which a date lies (ISO 8601: it begins on Monday). What is no date gives the week of `today`. */
export function weekOf(date: string, today: string): Week {
	const day = plainDate(date) ?? Temporal.PlainDate.from(today);
	const monday = day.subtract({ days: day.dayOfWeek - 1 });
	return {
		days: Array.from({ length: 7 }, (_, index) => monday.add({ days: index }).toString()),
		before: monday.subtract({ days: 7 }).toString(),
		after: monday.add({ days: 7 }).toString()
	};
}

/** Weeks past these years are no plan. */
const [FIRST, LAST] = [2000, 2200];
function plainDate(text: string): Temporal.PlainDate | null {
	if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return null;
	try {
		const date = Temporal.PlainDate.from(text, { overflow: 'reject' });
		return date.year < FIRST || date.year > LAST ? null : date;
	} catch {
		return null;
	}
}
