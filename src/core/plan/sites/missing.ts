import type { SiteFacts } from './site-facts';
import type { PositionStanding } from './site-standing';

/** Something that is not yet known or done, and that a visit to the site would trip over. */
export interface Missing {
	readonly kind: 'fact' | 'appointment' | 'technician' | 'position' | 'value' | 'unit';
	/** One short sentence for people. */
	readonly words: string;
	/** The position it is about; null for the site itself. */
	readonly position: string | null;
}
export interface PlannedPosition {
	readonly name: string;
	readonly standing: PositionStanding;
	/** What its configuration lacks, in words. */
	readonly problems: readonly string[];
}

/**
 * What is missing before somebody goes to a site: facts, an appointment with a technician, values, units.
 * Law: a site whose every position is online lacks no appointment, no technician and no unit any more.
 */
export function missingAt(
	facts: SiteFacts,
	appointment: { readonly at: number | null; readonly technician: string | null },
	positions: readonly PlannedPosition[]
): readonly Missing[] {
	const atSite = (kind: Missing['kind'], words: string): Missing => ({ kind, words, position: null });
	const finished = positions.length > 0 && positions.every(({ standing }) => standing === 'online');
	const missing: Missing[] = [];
	if (facts.street === '' && facts.locality === '') missing.push(atSite('fact', 'The address is missing.'));
	if (facts.latitude === null) missing.push(atSite('fact', 'Its place on the map is missing.'));
	if (facts.contact === '') missing.push(atSite('fact', 'Nobody is named who is there.'));
	else if (facts.phone === '' && !/\d{3}/.test(facts.contact))
		missing.push(atSite('fact', `There is no telephone number for ${facts.contact}.`));
	if (facts.uplink === 'cellular' && facts.sim === '')
		missing.push(atSite('fact', 'The uplink is cellular, and its SIM card is not known.'));
	if (facts.uplink === 'cellular' && facts.apn === '')
		missing.push(atSite('fact', 'The uplink is cellular, and its access point name is not known.'));
	if (positions.length === 0) missing.push(atSite('position', 'No position is planned.'));
	if (!finished && appointment.at === null) missing.push(atSite('appointment', 'There is no appointment.'));
	else if (!finished && appointment.technician === null)
		missing.push(atSite('technician', 'Nobody is named to go there.'));
	for (const { name, standing, problems } of positions) {
		if (standing === 'open') missing.push({ kind: 'unit', words: 'No unit is bound.', position: name });
		for (const words of problems) missing.push({ kind: 'value', words, position: name });
	}
	return missing;
}
