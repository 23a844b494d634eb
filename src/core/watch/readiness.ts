import type { Missing } from '../plan';
import type { TwinProblem } from './twin';

/** Something that stands between a site and its appointment, and where it is put right. */
export interface Gap {
	readonly kind: Missing['kind'] | 'registry' | 'rehearsal' | 'place' | 'hours' | 'card';
	readonly words: string;
	/** The position it is about; null for the site itself. */
	readonly position: string | null;
	readonly act: { readonly href: string; readonly words: string };
}

/** What else is looked at before an appointment, besides what the plan lacks. */
export interface Prepared {
	readonly siteId: string;
	/** In the site's own time, `2026-03-02T09:30`; null without an appointment. */
	readonly appointment: string | null;
	readonly minutes: number;
	readonly accessHours: string;
	/** When its card was last printed, and its cabling last decided; milliseconds. */
	readonly cardAt: number | null;
	readonly cabledAt: number | null;
	readonly positions: readonly {
		readonly id: string;
		readonly name: string;
		readonly unit: {
			readonly id: string;
			readonly serial: string;
			readonly ownership: 'asked' | 'confirmed' | 'refused' | 'released';
			/** The site that it was sent to, where that is another. */
			readonly shippedTo: string | null;
		} | null;
	}[];
}

const SITE_ACTS: Readonly<Partial<Record<Missing['kind'], string>>> = {
	appointment: 'Set one',
	technician: 'Choose somebody'
};

/**
 * What stands between a site and its appointment, what the plan lacks first. `stops`: what its rehearsal ran into. Access hours that cannot be read say nothing:
 * nobody is told of a gap that may be none.
 */
export function readinessOf(
	missing: readonly Missing[],
	prepared: Prepared,
	stops: readonly TwinProblem[] = []
): Gap[] {
	const { siteId, appointment, minutes, accessHours, cardAt, cabledAt, positions } = prepared;
	const idOf = (name: string | null) => positions.find((one) => one.name === name)?.id;
	const site = `/sites/${siteId}`;
	const gaps = missing.map((one): Gap => {
		const id = idOf(one.position);
		return one.kind === 'value' && id
			? { ...one, act: { href: `/values?position=${id}`, words: 'Give the value' } }
			: one.kind === 'unit' && id
				? { ...one, act: { href: `${site}?position=${id}`, words: 'Bind a unit' } }
				: one.kind === 'position'
					? { ...one, act: { href: site, words: 'Plan a position' } }
					: { ...one, act: { href: `${site}?change`, words: SITE_ACTS[one.kind] ?? 'Fill it in' } };
	});
	for (const { name, unit } of positions) {
		if (unit?.ownership === 'asked')
			gaps.push({
				kind: 'registry',
				words: `The maker’s registry has not confirmed ${unit.serial} yet.`,
				position: name,
				act: { href: '/intake', words: 'See what waits' }
			});
		if (unit?.ownership === 'refused')
			gaps.push({
				kind: 'registry',
				words: `${unit.serial} is not ours, says the maker’s registry.`,
				position: name,
				act: { href: `/units/${unit.id}`, words: 'Look at the unit' }
			});
		if (unit?.shippedTo)
			gaps.push({
				kind: 'place',
				words: `${unit.serial} was shipped to ${unit.shippedTo}.`,
				position: name,
				act: { href: `/units/${unit.id}`, words: 'Look at the unit' }
			});
	}
	const isMissing = ({ position, words }: TwinProblem) =>
		missing.some((one) => one.position === position && one.words === words);
	for (const stop of stops.filter((one) => !isMissing(one)))
		gaps.push({ kind: 'rehearsal', words: stop.words, position: stop.position, act: stop.mend });
	if (appointment !== null && isOpen(accessHours, appointment, minutes) === false)
		gaps.push({
			kind: 'hours',
			words: `The appointment is outside the hours of access (${accessHours}).`,
			position: null,
			act: { href: `${site}?change`, words: 'Choose another time' }
		});
	if (cardAt !== null && cabledAt !== null && cabledAt > cardAt)
		gaps.push({
			kind: 'card',
			words: 'Its card was printed before the cabling was changed.',
			position: null,
			act: { href: site, words: 'Print the card again' }
		});
	return gaps;
}

const DAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'];
const SPAN =
	/^(?:(daily|every day|weekdays|(sun|mon|tue|wed|thu|fri|sat)[a-z]*(?:\s*(?:to|-|–)\s*(sun|mon|tue|wed|thu|fri|sat)[a-z]*)?)[\s,:]+)?(\d{1,2})(?:[:.](\d\d))?\s*(?:to|-|–)\s*(\d{1,2})(?:[:.](\d\d))?$/i;

/**
 * Whether a place is open all the while: hours as people write them, `Mon to Fri 8 to 17:30; Sat 9-12`. `at` is the local
 * time at which it begins. Null where the hours are not given, or cannot be read.
 */
export function isOpen(hours: string, at: string, minutes: number): boolean | null {
	const spans = hours
		.split(/[;,]\s*(?=[a-z])|\s+and\s+/i)
		.map((one) => one.trim())
		.filter(Boolean)
		.map((one) => SPAN.exec(one));
	if (spans.length === 0 || spans.some((one) => one === null)) return null;
	const day = new Date(`${at.slice(0, 10)}T00:00:00Z`).getUTCDay();
	const from = Number(at.slice(11, 13)) * 60 + Number(at.slice(14, 16));
	return spans.some((span) => {
		const [, days = '', first, last, open, openMinutes = '0', shut, shutMinutes = '0'] = span!;
		return (
			isOn(day, days.toLowerCase(), first, last) &&
			from >= Number(open) * 60 + Number(openMinutes) &&
			from + minutes <= Number(shut) * 60 + Number(shutMinutes)
		);
	});
}

function isOn(day: number, days: string, first: string | undefined, last: string | undefined): boolean {
	if (first === undefined) return days !== 'weekdays' || (day >= 1 && day <= 5);
	const [from, to] = [first, last ?? first].map((name) => DAYS.indexOf(name.toLowerCase()));
	return (day - from! + 7) % 7 <= (to! - from! + 7) % 7;
}
