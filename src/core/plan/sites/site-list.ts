import { closest, distance } from 'fastest-levenshtein';
import { readValue, type Field, type Value, type Values } from '../../profile';
import { readLocalTime } from './local-time';
import { FACT_HEADINGS, FACT_NAMES, readFact, type FactName, type SiteFacts } from './site-facts';

/**
 * A list of sites, as a sheet: a row for each, columns by their headings in any order. Besides the facts
 * of a site and its appointment, a column can be a field's value: under the field's name where it is given
 * at the site, under position and field (`gw-1 hostname`) where it is given at a position.
 */
export interface ValueColumn {
	/** Null when it is given at the site. */
	readonly position: string | null;
	readonly field: Field;
	readonly secret: boolean;
}
export const valueHeading = ({ position, field }: Pick<ValueColumn, 'position' | 'field'>): string =>
	position === null ? field.name : `${position} ${field.name}`;

/** A cell that stands for a secret which is given already. */
export type Concealed = (cell: string) => boolean;

export interface SiteLine {
	/** 1-based line of the sheet. */
	readonly line: number;
	readonly name: string;
	/** The facts that the row gives; what it leaves empty is not said. */
	readonly facts: Partial<SiteFacts>;
	readonly appointmentText: string;
	readonly technician: string;
	readonly siteValues: Values;
	readonly positionValues: ReadonlyMap<string, Values>;
	readonly problems: readonly string[];
}
export type SiteListReading =
	| {
			readonly ok: true;
			readonly lines: readonly SiteLine[];
			/** Headings that mean nothing here, each with the one that was perhaps meant. */
			readonly unknown: readonly { readonly heading: string; readonly meant: string | null }[];
			/** Which columns the sheet has, by what they are called here. */
			readonly known: readonly string[];
	  }
	| { readonly ok: false; readonly problem: string };

const OTHER_WORDS: Readonly<Record<string, FactName | 'appointment' | 'technician'>> = {
	'site name': 'name',
	branch: 'name',
	shop: 'name',
	clinic: 'name',
	address: 'street',
	'street address': 'street',
	town: 'locality',
	city: 'locality',
	suburb: 'locality',
	place: 'locality',
	lat: 'latitude',
	lon: 'longitude',
	lng: 'longitude',
	long: 'longitude',
	timezone: 'timeZone',
	zone: 'timeZone',
	'contact name': 'contact',
	'contact person': 'contact',
	telephone: 'phone',
	mobile: 'phone',
	'contact phone': 'phone',
	hours: 'accessHours',
	'opening hours': 'accessHours',
	'how to get there': 'directions',
	'uplink type': 'uplink',
	'internet provider': 'provider',
	isp: 'provider',
	'circuit id': 'circuit',
	'circuit number': 'circuit',
	iccid: 'sim',
	'sim card': 'sim',
	'sim number': 'sim',
	'access point name': 'apn',
	when: 'appointment',
	date: 'appointment',
	appointment: 'appointment',
	engineer: 'technician',
	technician: 'technician'
};

type Column =
	| { readonly kind: 'fact'; readonly name: FactName }
	| { readonly kind: 'appointment' }
	| { readonly kind: 'technician' }
	| { readonly kind: 'value'; readonly column: ValueColumn };

export const MOST_SITES = 5000;

/** A heading as it is compared: `Time_Zone` is `time zone`. */
const plain = (heading: string) =>
	heading
		.toLowerCase()
		.replace(/[_\s]+/g, ' ')
		.trim();

/**
 * Reads a list of sites. Rejects as a whole only a list without the column `site`, or with a column twice;
 * what is wrong in a row is said of that row. Rows that begin with “#” explain, and are passed over.
 * Law: the order of the columns does not change what is read.
 */
export function readSiteList(
	cells: readonly (readonly string[])[],
	columns: readonly ValueColumn[],
	isConcealed: Concealed = () => false,
	most = MOST_SITES
): SiteListReading {
	const [head = [], ...rows] = cells;
	const byHeading = headingsOf(columns);
	const found = head.map((heading) => byHeading.get(plain(heading)) ?? null);
	const at = (wanted: Column) => found.findIndex((one) => one !== null && sameColumn(one, wanted));
	if (at({ kind: 'fact', name: 'name' }) < 0)
		return { ok: false, problem: 'There is no column “site”. The first row must name the columns.' };
	const twice = found.find((one, index) => one !== null && at(one) !== index);
	if (twice) return { ok: false, problem: `The column “${headingOf(twice)}” stands twice.` };
	if (rows.length > most)
		return { ok: false, problem: `A list has ${most.toLocaleString('en')} sites at most.` };
	const known = [...byHeading.keys()];
	const seen = new Map<string, number>();
	const lines = rows.flatMap((row, index) => {
		if (row[0]?.startsWith('#') || row.every((cell) => cell.trim() === '')) return [];
		return [readLine(row, index + 2, found, seen, isConcealed)];
	});
	if (lines.length === 0) return { ok: false, problem: 'There is no site in this list.' };
	return {
		ok: true,
		lines,
		unknown: head.flatMap((heading, index) =>
			found[index] === null && heading.trim() !== ''
				? [{ heading: heading.trim(), meant: nearest(plain(heading), known) }]
				: []
		),
		known: found.flatMap((column) => (column ? [headingOf(column)] : []))
	};
}

function headingsOf(columns: readonly ValueColumn[]): Map<string, Column> {
	const headings = new Map<string, Column>();
	for (const [word, means] of Object.entries(OTHER_WORDS))
		headings.set(
			word,
			means === 'appointment' || means === 'technician' ? { kind: means } : { kind: 'fact', name: means }
		);
	for (const name of FACT_NAMES) headings.set(FACT_HEADINGS[name], { kind: 'fact', name });
	for (const column of columns) {
		// A fact's word goes before a field's of the same name: the sheet is about sites first
		const heading = plain(valueHeading(column));
		if (!headings.has(heading)) headings.set(heading, { kind: 'value', column });
	}
	return headings;
}

const headingOf = (column: Column): string =>
	column.kind === 'fact'
		? FACT_HEADINGS[column.name]
		: column.kind === 'value'
			? valueHeading(column.column)
			: column.kind;
const sameColumn = (one: Column, other: Column) =>
	one.kind === other.kind && headingOf(one) === headingOf(other);

function readLine(
	row: readonly string[],
	line: number,
	columns: readonly (Column | null)[],
	seen: Map<string, number>,
	isConcealed: Concealed
): SiteLine {
	const problems: string[] = [];
	const facts: Record<string, SiteFacts[FactName]> = {};
	const siteValues: Record<string, Value> = {};
	const positionValues = new Map<string, Record<string, Value>>();
	let appointmentText = '';
	let technician = '';
	columns.forEach((column, index) => {
		const cell = (row[index] ?? '').trim();
		if (!column || cell === '') return;
		if (column.kind === 'appointment') appointmentText = cell;
		else if (column.kind === 'technician') technician = cell;
		else if (column.kind === 'fact') {
			const read = readFact(column.name, cell);
			if (read.ok) facts[column.name] = read.value;
			else problems.push(`${FACT_HEADINGS[column.name]}: ${read.message}`);
		} else if (!(column.column.secret && isConcealed(cell))) {
			const { position, field } = column.column;
			const read = readValue(field.type, cell);
			if (!read.ok) problems.push(`${valueHeading(column.column)}: ${read.message}`);
			else if (position === null) siteValues[field.name] = read.value;
			else positionValues.set(position, { ...positionValues.get(position), [field.name]: read.value });
		}
	});
	const name = String(facts.name ?? '');
	const before = seen.get(name.toLowerCase());
	if (name === '') problems.push('site: A site has a name.');
	else if (before !== undefined) problems.push(`“${name}” stands in line ${before} already.`);
	else seen.set(name.toLowerCase(), line);
	if ((facts.latitude === undefined) !== (facts.longitude === undefined))
		problems.push('A place on the map is a latitude and a longitude.');
	return { line, name, facts, appointmentText, technician, siteValues, positionValues, problems };
}

/** The appointment of a line, in the time zone of its site. */
export const appointmentOf = ({ appointmentText }: SiteLine, zone: string) =>
	appointmentText === '' ? null : readLocalTime(appointmentText, zone);

const FAR = 3;

/** The known heading that differs least, when it differs by few letters. */
function nearest(heading: string, known: readonly string[]): string | null {
	const best = closest(heading, known);
	return distance(heading, best) < FAR ? best : null;
}
