import { Temporal } from 'temporal-polyfill';

export type LocalReading =
	{ readonly ok: true; readonly at: number } | { readonly ok: false; readonly message: string };

/**
 * A local date and time, `2026-12-01 09:30` (ISO 8601, with `T` or a space), in an IANA time zone, as
 * milliseconds since the epoch. Rejects times that the zone skips or has twice when its clocks change, and
 * dates in which day and month could be mistaken for each other.
 */
export function readLocalTime(text: string, zone: string): LocalReading {
	const found = /^(\d{4}-\d{2}-\d{2})[T ](\d{1,2}):(\d{2})(?::\d{2}(?:\.\d+)?)?$/.exec(text.trim());
	if (!found)
		return { ok: false, message: `“${text.slice(0, 40)}” is no date and time such as 2026-12-01 09:30.` };
	const [, date, hour, minute] = found;
	let plain: Temporal.PlainDateTime;
	try {
		plain = Temporal.PlainDateTime.from(`${date}T${hour!.padStart(2, '0')}:${minute}`, {
			overflow: 'reject'
		});
	} catch {
		return { ok: false, message: `There is no ${text.trim()}.` };
	}
	try {
		return { ok: true, at: plain.toZonedDateTime(zone, { disambiguation: 'reject' }).epochMilliseconds };
	} catch {
		return {
			ok: false,
			message: `At ${text.trim()} the clocks of ${zone} change: that time is skipped or comes twice. Choose another.`
		};
	}
}

/** The same, the other way: as it is written in a sheet and in a form. */
export const writeLocalTime = (at: number, zone: string): string =>
	Temporal.Instant.fromEpochMilliseconds(at)
		.toZonedDateTimeISO(zone)
		.toPlainDateTime()
		.toString({ smallestUnit: 'minute' })
		.replace('T', ' ');
