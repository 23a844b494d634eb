import { writeValue, type Value, type Values } from '../profile';
import { following, type FollowChange, type Following, type Pattern, type StampedSite } from './following';
import { appointmentOf, type SiteLine } from './sites/site-list';
import { writeLocalTime } from './sites/local-time';
import {
	FACT_HEADINGS,
	factsFrom,
	siteFactsSchema,
	writeFact,
	type FactName,
	type SiteFacts
} from './sites/site-facts';

/** A site that stands already, as far as a list of sites can say something of it. */
export interface StandingSite extends StampedSite {
	readonly id: string;
	readonly facts: SiteFacts;
	readonly appointmentAt: number | null;
	readonly technicianId: string | null;
}
export interface Difference {
	readonly what: string;
	readonly was: string;
	readonly now: string;
}
/** What a line of the list comes to. */
export interface StampRow {
	readonly line: number;
	readonly name: string;
	readonly verdict: 'new' | 'same' | 'differs' | 'wrong';
	readonly problems: readonly string[];
	/** Of a site that stands already: what would change. */
	readonly differences: readonly Difference[];
	readonly siteId: string | null;
	readonly facts: SiteFacts;
	readonly appointmentAt: number | null;
	readonly technicianId: string | null;
	readonly siteValues: Values;
	readonly positionValues: ReadonlyMap<string, Values>;
	readonly following: Following | null;
}
export interface StampWorld {
	readonly pattern: Pattern;
	/** By name in lower case. */
	readonly sites: ReadonlyMap<string, StandingSite>;
	/** What a new site has where the list says nothing. */
	readonly like: Partial<SiteFacts>;
	/** Who can be sent, by name in lower case. */
	readonly technicians: ReadonlyMap<string, string>;
	readonly profileName: (id: string) => string;
	readonly isSecret: (field: string) => boolean;
}

/**
 * What stamping a list of sites from a pattern would do, line by line.
 * Laws: as many rows as lines; a list that was stamped is all `same` when it is compared again; a row that
 * says nothing of a fact leaves it as it is.
 */
export const compareStamping = (lines: readonly SiteLine[], world: StampWorld): readonly StampRow[] =>
	lines.map((line) => {
		const standing = world.sites.get(line.name.toLowerCase()) ?? null;
		const facts = standing ? { ...standing.facts, ...line.facts } : factsOf(line, world.like);
		const problems = [...line.problems];
		const appointment = appointmentOf(line, facts.timeZone);
		if (appointment?.ok === false) problems.push(`appointment: ${appointment.message}`);
		const technicianId =
			line.technician === '' ? null : (world.technicians.get(line.technician.toLowerCase()) ?? null);
		if (line.technician !== '' && technicianId === null)
			problems.push(`technician: “${line.technician}” does not work for this customer.`);
		const row = {
			line: line.line,
			name: line.name,
			siteId: standing?.id ?? null,
			facts,
			appointmentAt: appointment?.ok ? appointment.at : (standing?.appointmentAt ?? null),
			technicianId: technicianId ?? standing?.technicianId ?? null,
			siteValues: line.siteValues,
			positionValues: line.positionValues
		};
		if (problems.length > 0) return { ...row, verdict: 'wrong', problems, differences: [], following: null };
		if (!standing) return { ...row, verdict: 'new', problems, differences: [], following: null };
		const follow = following(world.pattern, standing);
		const differences = [
			...factDifferences(standing, row),
			...valueDifferences(standing, line, world),
			...follow.changes.map((change) => describeChange(change, world.profileName))
		];
		return {
			...row,
			verdict: differences.length > 0 ? 'differs' : 'same',
			problems,
			differences,
			following: follow
		};
	});

const factsOf = (line: SiteLine, like: Partial<SiteFacts>): SiteFacts =>
	factsFrom({ ...line.facts, name: line.name }, like);

function factDifferences(
	standing: StandingSite,
	row: Pick<StampRow, 'facts' | 'appointmentAt' | 'technicianId'>
): Difference[] {
	const names = Object.keys(siteFactsSchema.entries) as FactName[];
	const differences = names.flatMap((name) => {
		const [was, now] = [writeFact(standing.facts[name]), writeFact(row.facts[name])];
		// Whoever writes the name with other capitals means the same site
		return was === now || name === 'name' ? [] : [{ what: FACT_HEADINGS[name], was, now }];
	});
	const local = (at: number | null) => (at === null ? '' : writeLocalTime(at, row.facts.timeZone));
	if (standing.appointmentAt !== row.appointmentAt)
		differences.push({
			what: 'appointment',
			was: local(standing.appointmentAt),
			now: local(row.appointmentAt)
		});
	if (standing.technicianId !== row.technicianId)
		differences.push({ what: 'technician', was: '', now: 'another' });
	return differences;
}

function valueDifferences(standing: StandingSite, line: SiteLine, world: StampWorld): Difference[] {
	const said = (field: string, value: Value | undefined) =>
		value === undefined ? '' : world.isSecret(field) ? 'a secret' : writeValue(value);
	const compared = (given: Values, now: Values, at: string) =>
		Object.entries(given).flatMap(([field, value]) =>
			JSON.stringify(now[field]) === JSON.stringify(value)
				? []
				: [{ what: `${at}${field}`, was: said(field, now[field]), now: said(field, value) }]
		);
	return [
		...compared(line.siteValues, standing.values, ''),
		...[...line.positionValues].flatMap(([name, given]) => {
			const place = standing.places.find((one) => one.name.toLowerCase() === name.toLowerCase());
			return compared(given, place?.values ?? {}, `${name} `);
		})
	];
}

/** A change that following a pattern makes, for people. */
export function describeChange(change: FollowChange, profileName: (id: string) => string): Difference {
	const written = (value: Value | null) => (value === null ? '' : writeValue(value));
	switch (change.kind) {
		case 'add':
			return { what: `position ${change.place.name}`, was: '', now: profileName(change.place.profileId) };
		case 'adopt':
			return {
				what: `position ${change.position.name}`,
				was: 'the site’s own',
				now: 'follows the pattern'
			};
		case 'remove':
			return {
				what: `position ${change.position.name}`,
				was: profileName(change.position.profileId),
				now: 'removed'
			};
		case 'rename':
			return { what: `position ${change.position.name}`, was: change.position.name, now: change.to };
		case 'profile':
			return {
				what: `profile of ${change.position.name}`,
				was: profileName(change.position.profileId),
				now: profileName(change.to)
			};
		case 'value':
			return {
				what: change.position ? `${change.position.name} ${change.field}` : change.field,
				was: written(change.from),
				now: written(change.to)
			};
	}
}
