import { counted, dayOf, hourOf } from '../text';
import type { Gap } from './readiness';

/** A letter's heading and words. */
export interface Written {
	readonly subject: string;
	readonly text: string;
}

/** A site that is due the next day. */
export interface DueSite {
	readonly id: string;
	readonly name: string;
	readonly place: string;
	readonly timeZone: string;
	/** Milliseconds. */
	readonly at: number;
	readonly technician: string | null;
	readonly contact: string;
	/** What stands between it and its appointment. */
	readonly gaps: readonly Gap[];
}

const linked = (base: string, path: string) => `  ${base}${path}`;
const MOST_GAPS = 8;

/** The evening before: what is due, and what each site still lacks. `base`: where Limen is reached. At least one site. */
export function eveningLetter(sites: readonly DueSite[], base: string): Written {
	const lacking = sites.filter(({ gaps }) => gaps.length > 0);
	const [first] = sites;
	const ready = lacking.length === 0 ? 'all ready' : `${lacking.length} not ready`;
	return {
		subject: `${dayOf(first!.at, first!.timeZone)}: ${counted(sites.length, 'site')}, ${ready}`,
		text: `${[...sites]
			// What needs something done this evening comes first
			.sort((a, b) => Number(lacking.includes(b)) - Number(lacking.includes(a)) || a.at - b.at)
			.map((site) => dueWords(site, base))
			.join('\n\n')}\n`
	};
}

function dueWords(
	{ id, name, place, timeZone, at, technician, contact, gaps }: DueSite,
	base: string
): string {
	const people = [technician && `${technician} goes there`, contact && `there: ${contact}`].filter(Boolean);
	const lines = [
		`${hourOf(at, timeZone)} ${[name, place].filter(Boolean).join(', ')}`,
		...(people.length > 0 ? [`  ${people.join('; ')}`] : []),
		gaps.length === 0 ? '  Ready.' : '  Not ready:',
		...gaps
			.slice(0, MOST_GAPS)
			.map(({ position, words }) => `  - ${position ? `${position}: ` : ''}${words}`),
		...(gaps.length > MOST_GAPS ? [`  - and ${gaps.length - MOST_GAPS} more`] : []),
		linked(base, `/sites/${id}`)
	];
	return lines.join('\n');
}

/** Something that happened at a site. */
export interface SiteNews {
	readonly id: string;
	readonly name: string;
	readonly kind: 'through' | 'stuck' | 'changed';
	/** How many of its units need somebody; 0 where it is the site itself. */
	readonly units: number;
	/** In the unit's own words, or the proof's; of alerts the latest, a line each. */
	readonly words: string;
}

/** What happened since the last letter, what needs somebody first. At least one. */
export function newsLetter(news: readonly SiteNews[], base: string): Written {
	const of = (kind: SiteNews['kind']) => news.filter((one) => one.kind === kind);
	const [stuck, changed, through] = [of('stuck'), of('changed'), of('through')];
	const heading = [
		stuck.length > 0 && `${counted(stuck.length, 'site needs', 'sites need')} somebody`,
		changed.length > 0 && `alerts at ${counted(changed.length, 'site')}`,
		through.length > 0 && `${counted(through.length, 'site')} through`
	].filter(Boolean);
	const said = ({ id, name, kind, units, words }: SiteNews) =>
		[
			kind === 'through'
				? `${name} is through and proven.`
				: kind === 'changed'
					? `${name}: ${counted(units, 'alert')}.`
					: `${name}: ${units > 0 ? `${counted(units, 'unit')} failed` : 'its proof does not hold'}.`,
			...(words ? words.split('\n').map((line) => `  ${line}`) : []),
			linked(base, `/sites/${id}`)
		].join('\n');
	return {
		subject: heading.join(', '),
		text: `${[...stuck, ...changed, ...through].map(said).join('\n\n')}\n`
	};
}
