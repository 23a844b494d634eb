/** Days and times in a workbook are numbers, told by the format of their cell (ISO/IEC 29500-1 section 18.8.30). */
export type MomentKind = 'day' | 'time' | 'day-and-time';

const DAYS = [[14, 17], [27, 31], [34, 36], [50, 54], [57, 58]] as const; // prettier-ignore
const TIMES = [
	[18, 21],
	[32, 33],
	[45, 47],
	[55, 56]
] as const;
const within = (ranges: readonly (readonly [number, number])[], id: number) =>
	ranges.some(([from, to]) => id >= from && id <= to);

/** What a number in this format is; null for a number that is just that. */
export function kindOfFormat(id: number, code: string | undefined): MomentKind | null {
	if (code === undefined) {
		if (id === 22) return 'day-and-time';
		return within(DAYS, id) ? 'day' : within(TIMES, id) ? 'time' : null;
	}
	// Of positive numbers only; literal text, escapes, padding and colours say nothing
	const marks = code
		.slice(0, 255)
		.split(';', 1)[0]!
		.replace(/"[^"]*"|\\.|_.|\*.|\[(?![hms]+\])[^\]]*\]/gi, '')
		.toLowerCase();
	const time = /[hs]/.test(marks);
	const day = /[yd]/.test(marks) || (/m/.test(marks) && !time);
	if (!day && !time) return null;
	return day && time ? 'day-and-time' : day ? 'day' : 'time';
}

const DAY_MS = 86_400_000;
/** 1900 counts from 31 December 1899, and has a 29 February that never was (day 60). */
const [SINCE_1900, SINCE_1904] = [Date.UTC(1899, 11, 30), Date.UTC(1904, 0, 1)];
const LATEST = Date.UTC(9999, 11, 31) + DAY_MS;

/** Such a number as `2026-11-26`, `2026-11-26 14:30` or `14:30`; seconds only where there are some. Null when it is no moment. */
export function writeMoment(serial: number, kind: MomentKind, since1904: boolean): string | null {
	if (serial < 0) return null;
	const counted = !since1904 && serial < 60 ? serial + 1 : serial;
	// Rounded to the second: a time of day is a fraction that binary numbers hold only nearly
	const at = (since1904 ? SINCE_1904 : SINCE_1900) + Math.round(counted * 86_400) * 1000;
	if (at >= LATEST) return null;
	const iso = new Date(at).toISOString();
	const seconds = iso.slice(17, 19) === '00' ? '' : iso.slice(16, 19);
	const time = iso.slice(11, 16) + seconds;
	if (kind === 'time' && serial < 1) return time;
	return at % DAY_MS === 0 && kind !== 'day-and-time' ? iso.slice(0, 10) : `${iso.slice(0, 10)} ${time}`;
}
