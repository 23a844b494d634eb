import {
	appointmentOf,
	FACT_HEADINGS,
	FACT_NAMES,
	readSiteList,
	valueHeading,
	writeFact,
	writeLocalTime,
	type SiteFacts,
	type SiteLine,
	type StandingSite,
	type ValueColumn
} from '../plan';
import {
	isSecretName,
	isSecretType,
	readValue,
	writeValue,
	type Field,
	type Value,
	type Values
} from '../profile';
import type { Here, There } from './compare';
import { MOST_RECORDS } from './source';
import type { SourceRow, Target } from './mapping';

/** What a connector brings in. */
export const CONNECTOR_KINDS = ['sites', 'positions', 'units'] as const;
export type ConnectorKind = (typeof CONNECTOR_KINDS)[number];
export const CONNECTOR_KIND_WORDS: Readonly<Record<ConnectorKind, string>> = {
	sites: 'sites, with appointments and values',
	positions: 'positions, with values',
	units: 'units'
};
/** How often a source can be read, in minutes; 0: only when somebody asks. */
export const CONNECTOR_RHYTHMS = {
	0: 'when somebody asks',
	15: 'every 15 minutes',
	60: 'every hour',
	360: 'every 6 hours',
	1440: 'every day'
} as const;

/** What one of them is called, for people who read of a number. */
export const ONE_OF: Readonly<Record<ConnectorKind, string>> = {
	sites: 'site',
	positions: 'position',
	units: 'unit'
};

const ALSO: Readonly<Record<string, readonly string[]>> = {
	site: ['name', 'site name', 'branch'],
	street: ['address', 'street address'],
	locality: ['town', 'city', 'place'],
	latitude: ['lat'],
	longitude: ['lon', 'lng'],
	'time zone': ['timezone', 'zone', 'tz'],
	contact: ['contact name', 'contact person'],
	phone: ['telephone', 'contact phone'],
	'access hours': ['hours', 'opening hours'],
	uplink: ['uplink type', 'access'],
	provider: ['isp', 'internet provider'],
	circuit: ['circuit id'],
	sim: ['iccid'],
	appointment: ['date', 'visit', 'scheduled at'],
	technician: ['engineer'],
	position: ['position name', 'device'],
	profile: ['profile name'],
	'serial number': ['serial', 'sn'],
	'MAC address': ['mac'],
	'claim code': ['claim'],
	firmware: ['version', 'firmware version']
};
const target = (to: string): Target => ({ to, also: ALSO[to] ?? [] });

/** Secrets come by no connector: what a source says is kept, to be compared with the next time. */
const isOpenField = ({ name, type }: Field): boolean => !isSecretType(type) && !isSecretName(name);

/** Each once: a fact's word goes before a field's of the same name. */
const once = (targets: readonly Target[]): readonly Target[] =>
	targets.filter(({ to }, index) => targets.findIndex((other) => other.to === to) === index);

/** Which of our columns a source of sites can give. */
export const siteTargets = (values: readonly ValueColumn[]): readonly Target[] =>
	once([
		...FACT_NAMES.map((name) => target(FACT_HEADINGS[name])),
		target('appointment'),
		target('technician'),
		...values.filter(({ field }) => isOpenField(field)).map((column) => ({ to: valueHeading(column) }))
	]);
export const positionTargets = (fields: readonly Field[]): readonly Target[] =>
	once([
		...['site', 'position', 'profile'].map(target),
		...fields.filter(isOpenField).map(({ name }) => ({ to: name }))
	]);
export const UNIT_TARGETS: readonly Target[] = [
	...['serial number', 'MAC address', 'claim code', 'site', 'position', 'profile', 'firmware'].map(target)
];
/** Without these nothing can be read. */
export const NEEDED_TARGETS: Readonly<Record<ConnectorKind, readonly string[]>> = {
	sites: ['site'],
	positions: ['site', 'position'],
	units: ['serial number']
};

const cellsOfRows = (
	rows: readonly SourceRow[],
	targets: readonly string[]
): readonly (readonly string[])[] => [
	targets,
	...rows.map(({ cells }) => targets.map((to) => cells[to] ?? ''))
];
const targetsOf = (rows: readonly SourceRow[]): readonly string[] => [
	...new Set(rows.flatMap(({ cells }) => Object.keys(cells)))
];

/** A site with its positions, as far as it is compared; without what is secret. */
export type SiteAsItStands = Pick<
	StandingSite,
	'id' | 'facts' | 'appointmentAt' | 'technicianId' | 'values'
> & {
	readonly places: readonly Pick<StandingSite['places'][number], 'name' | 'values'>[];
};
export interface SiteWorld {
	readonly values: readonly ValueColumn[];
	readonly sites: readonly SiteAsItStands[];
	/** What a new site has where the source says nothing. */
	readonly like: Partial<SiteFacts>;
	readonly technicians: readonly { readonly id: string; readonly name: string }[];
}

/** Sites as a source has them, each fact read and written as Limen writes it. What is wrong with one is its problem. */
export function sitesThere(rows: readonly SourceRow[], world: SiteWorld): readonly There[] {
	const targets = targetsOf(rows);
	const reading = readSiteList(cellsOfRows(rows, targets), world.values, () => false, MOST_RECORDS);
	if (!reading.ok)
		return rows.map((row) => ({ ...row, name: '', problems: [...row.problems, reading.problem] }));
	const lines = new Map(reading.lines.map((line) => [line.line - FIRST_LINE, line]));
	const zones = new Map(world.sites.map(({ facts }) => [facts.name.toLowerCase(), facts.timeZone]));
	const people = new Map(world.technicians.map(({ name }) => [name.toLowerCase(), name]));
	return rows.map(({ key, line, problems }, index) => {
		const read = lines.get(index);
		if (!read)
			return { key, line, name: '', cells: {}, problems: [...problems, 'It says nothing of a site.'] };
		const zone = read.facts.timeZone ?? zones.get(read.name.toLowerCase()) ?? world.like.timeZone ?? 'UTC';
		const appointment = appointmentOf(read, zone);
		const technician = people.get(read.technician.toLowerCase());
		return {
			key,
			line,
			name: read.name,
			cells: cellsOfLine(read, appointment?.ok ? writeLocalTime(appointment.at, zone) : '', technician ?? ''),
			problems: [
				...problems,
				...read.problems,
				...(appointment?.ok === false ? [`appointment: ${appointment.message}`] : []),
				...(read.technician !== '' && technician === undefined
					? [`technician: “${read.technician}” does not work for this customer.`]
					: [])
			]
		};
	});
}
/** The line of a list on which its first row stands, below the headings. */
const FIRST_LINE = 2;

const written = (values: Values, before = ''): Record<string, string> =>
	Object.fromEntries(
		Object.entries(values).map(([name, value]) => [
			before + name,
			isSecretName(name) ? '' : writeValue(value as Value)
		])
	);

function cellsOfLine(
	line: SiteLine,
	appointment: string,
	technician: string
): Readonly<Record<string, string>> {
	const cells: Record<string, string> = {};
	for (const name of FACT_NAMES)
		if (line.facts[name] !== undefined) cells[FACT_HEADINGS[name]] = writeFact(line.facts[name]);
	Object.assign(cells, { appointment, technician }, written(line.siteValues));
	for (const [position, values] of line.positionValues) Object.assign(cells, written(values, `${position} `));
	return Object.fromEntries(Object.entries(cells).filter(([, cell]) => cell !== ''));
}

/** A site as it stands here, in the same words. */
export function siteHere(site: SiteAsItStands, technicians: SiteWorld['technicians']): Here {
	const { facts, appointmentAt, technicianId } = site;
	return {
		id: site.id,
		name: facts.name.toLowerCase(),
		cells: {
			...Object.fromEntries(FACT_NAMES.map((name) => [FACT_HEADINGS[name], writeFact(facts[name])])),
			appointment: appointmentAt === null ? '' : writeLocalTime(appointmentAt, facts.timeZone),
			technician: technicians.find(({ id }) => id === technicianId)?.name ?? '',
			...written(site.values),
			...Object.assign({}, ...site.places.map(({ name, values }) => written(values, `${name} `)))
		}
	};
}

export interface StandingPosition {
	readonly id: string;
	readonly site: string;
	readonly name: string;
	readonly profile: string;
	readonly values: Values;
}
const placeName = (site: string, position: string) => `${site}, ${position}`;

/** Positions as a source has them. A site or a profile that is not there is a problem of its row. */
export function positionsThere(
	rows: readonly SourceRow[],
	world: {
		readonly fields: readonly Field[];
		readonly sites: readonly string[];
		readonly profiles: readonly string[];
		readonly positions: readonly StandingPosition[];
	}
): readonly There[] {
	const fields = new Map(world.fields.map((field) => [field.name, field]));
	const sites = new Map(world.sites.map((name) => [name.toLowerCase(), name]));
	const profiles = new Map(world.profiles.map((name) => [name.toLowerCase(), name]));
	const standing = new Set(world.positions.map(({ site, name }) => placeName(site, name).toLowerCase()));
	return rows.map(({ key, line, cells, problems: before }) => {
		const problems = [...before];
		const site = sites.get((cells.site ?? '').toLowerCase());
		const name = (cells.position ?? '').trim();
		if (!site) problems.push(`site: ${cells.site ? `There is no site “${cells.site}”.` : 'It is empty.'}`);
		if (name === '') problems.push('position: It is empty.');
		const profile = cells.profile === undefined ? undefined : profiles.get(cells.profile.toLowerCase());
		if (cells.profile !== undefined && !profile)
			problems.push(`profile: There is no profile “${cells.profile}”.`);
		const place = placeName(site ?? cells.site ?? '', name);
		if (!profile && cells.profile === undefined && !standing.has(place.toLowerCase()))
			problems.push('profile: A new position needs one.');
		const said: Record<string, string> = { site: site ?? '', position: name, ...(profile && { profile }) };
		for (const [what, cell] of Object.entries(cells)) {
			const field = fields.get(what);
			if (!field) continue;
			const read = readValue(field.type, cell);
			if (read.ok) said[what] = writeValue(read.value);
			else problems.push(`${what}: ${read.message}`);
		}
		return { key, line, name: place, cells: said, problems };
	});
}
export const positionHere = ({ id, site, name, profile, values }: StandingPosition): Here => ({
	id,
	name: placeName(site, name).toLowerCase(),
	cells: { site, position: name, profile, ...written(values) }
});
